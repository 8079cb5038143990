// Listens to the real audio graph: an AudioWorklet on whatever is connected to the destination.
import type { Page } from '@playwright/test'

/** Remembers the node that feeds the destination; call before the page opens. */
export async function listenFor(page: Page): Promise<void> {
  await page.addInitScript(() => {
    const connect = AudioNode.prototype.connect as (this: AudioNode, ...args: unknown[]) => unknown
    AudioNode.prototype.connect = function (this: AudioNode, ...args: unknown[]) {
      if (
        args[0] instanceof AudioDestinationNode &&
        this.context instanceof AudioContext &&
        !('tapped' in this)
      )
        (window as never as { heard: AudioNode }).heard = this
      return connect.apply(this, args)
    } as never
  })
}

/** Starts recording everything that reaches the destination. */
export const startTap = (page: Page): Promise<void> =>
  page.evaluate(async () => {
    const w = window as never as { heard: AudioNode; taken: Float32Array[][]; sounding: number }
    const code = `registerProcessor('tap', class extends AudioWorkletProcessor {
      process(inputs) {
        const i = inputs[0]
        this.port.postMessage(i.length ? i.map((c) => c.slice()) : [new Float32Array(128), new Float32Array(128)])
        return true
      }
    })`
    const { context } = w.heard
    await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })))
    const tap = Object.assign(new AudioWorkletNode(context, 'tap', { outputChannelCount: [2] }), {
      tapped: true,
    })
    w.taken = []
    w.sounding = 0
    tap.port.onmessage = ({ data }: MessageEvent<Float32Array[]>) => {
      w.taken.push(data)
      if (w.sounding > 0 || data[0]!.some((v) => v !== 0)) w.sounding += data[0]!.length / context.sampleRate
    }
    w.heard.connect(tap)
    tap.connect(context.destination)
  })

/** Waits until so many seconds were taken since the first that were not silent. */
export const heardFor = async (page: Page, seconds: number): Promise<void> => {
  await page.waitForFunction((n) => (window as never as { sounding: number }).sounding >= n, seconds)
}

/** How many frames were taken so far. */
export const framesTaken = (page: Page): Promise<number> =>
  page.evaluate(() => (window as never as { taken: unknown[] }).taken.length * 128)

/** Everything taken so far, two channels. */
export async function taken(page: Page): Promise<Float32Array[]> {
  const base64 = await page.evaluate(() => {
    const { taken } = window as never as { taken: Float32Array[][] }
    return [0, 1].map((c) => {
      const all = new Float32Array(taken.length * 128)
      taken.forEach((t, i) => all.set(t[Math.min(c, t.length - 1)]!, i * 128))
      const bytes = new Uint8Array(all.buffer)
      let text = ''
      for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192))
      return btoa(text)
    })
  })
  return base64.map((b) => {
    const bytes = Buffer.from(b, 'base64')
    return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength))
  })
}
