// The audio thread's processor: PlayerCore behind a message port.
import { PlayerCore, type PlayerMessage } from './player-core'

declare const currentTime: number
declare class AudioWorkletProcessor {
  readonly port: MessagePort
}
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void

/** Render quanta between two reports: about 25 a second at 44.1 kHz would be 14; 8 is lively enough for a meter. */
const EVERY = 8

class PlayerProcessor extends AudioWorkletProcessor {
  private readonly core = new PlayerCore()
  private countdown = EVERY

  constructor() {
    super()
    this.port.onmessage = (e: MessageEvent<PlayerMessage>) => {
      this.core.receive(e.data)
      this.countdown = 0
    }
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const before = this.core.state
    this.core.process(outputs[0]!)
    if (--this.countdown <= 0 || before !== this.core.state) {
      if (before !== 'stopped' || this.core.state !== 'stopped' || this.countdown < 0)
        this.port.postMessage(this.core.report(currentTime))
      this.countdown = EVERY
    }
    return true
  }
}

registerProcessor('unwarp-player', PlayerProcessor)
