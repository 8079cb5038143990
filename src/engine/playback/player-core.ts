// What the audio thread does: plays blocks of samples by position, with loop, switch and click. No browser names.

/** Samples in a block; block n holds session samples [n · BLOCK, (n + 1) · BLOCK). */
export const BLOCK = 4096

/** A mixed stretch of the session, both ways, and its click. */
export interface Block {
  readonly index: number
  /** Planar samples, one or two channels. */
  readonly corrected: readonly Float32Array[]
  /** Absent where it is still being made; until it comes, the corrected sounds in its place. */
  readonly original?: readonly Float32Array[]
  readonly click: Float32Array
}

export interface Loop {
  readonly from: number
  readonly to: number
}

export type PlayerMessage =
  | { readonly type: 'blocks'; readonly blocks: readonly Block[] }
  | { readonly type: 'drop'; readonly keep: readonly number[] }
  | { readonly type: 'play'; readonly from: number; readonly end: number }
  | { readonly type: 'stop' }
  | { readonly type: 'seek'; readonly to: number }
  | { readonly type: 'loop'; readonly loop: Loop | null }
  | { readonly type: 'end'; readonly end: number }
  | { readonly type: 'hear'; readonly original: boolean }
  | { readonly type: 'click'; readonly gain: number }

export type PlayerState = 'stopped' | 'playing' | 'waiting'

/** What the audio thread tells. */
export interface PlayerReport {
  readonly state: PlayerState
  /** Session sample that sounds next. */
  readonly position: number
  /** Peak of the music since the last report, each output channel, linear. */
  readonly peaks: readonly number[]
  /** Time of the report in the audio clock, seconds; filled in by the audio thread. */
  readonly time: number
}

/** Samples of the fades at start and stop, and when a block is replaced while it sounds. */
const FADE = 128
/** Samples of the crossfade between original and corrected. */
const SWITCH = 256

interface Held {
  block: Block
  /** What sounded before this block replaced it, and from which position it fades out. */
  old: Block | null
  oldFrom: number
}

/** The player. Its output depends on the messages it got and on nothing else. */
export class PlayerCore {
  state: PlayerState = 'stopped'
  position = 0
  peaks = [0, 0]
  private readonly blocks = new Map<number, Held>()
  private loop: Loop | null = null
  private end = 0
  /** Share of the original in what is heard, 0-1, and where it is going. */
  private share = 0
  private shareGoal = 0
  private clickGain = 0
  /** Gain of start and stop fades. */
  private gain = 0
  private gainGoal = 0
  private seekTo: number | null = null

  receive(m: PlayerMessage): void {
    if (m.type === 'blocks') for (const b of m.blocks) this.take(b)
    else if (m.type === 'drop') {
      const keep = new Set(m.keep)
      for (const index of this.blocks.keys()) if (!keep.has(index)) this.blocks.delete(index)
    } else if (m.type === 'play') {
      this.end = m.end
      this.position = m.from
      this.seekTo = null
      this.state = 'playing'
      this.gainGoal = 1
    } else if (m.type === 'stop') {
      this.gainGoal = 0
      if (this.gain === 0 || this.state === 'waiting') this.halt()
    } else if (m.type === 'seek') {
      if (this.state === 'playing' && this.gain > 0) {
        this.seekTo = m.to
        this.gainGoal = 0
      } else this.position = m.to
    } else if (m.type === 'loop') this.loop = m.loop
    else if (m.type === 'end') this.end = m.end
    else if (m.type === 'hear') {
      this.shareGoal = m.original ? 1 : 0
      if (this.state !== 'playing') this.share = this.shareGoal
    } else this.clickGain = m.gain
  }

  private take(block: Block): void {
    const held = this.blocks.get(block.index)
    const sounding = this.state === 'playing' && Math.floor(this.position / BLOCK) === block.index
    this.blocks.set(block.index, { block, old: sounding && held ? held.block : null, oldFrom: this.position })
  }

  private halt(): void {
    this.state = 'stopped'
    this.gain = this.gainGoal = 0
    this.seekTo = null
  }

  /** The music of one block at one sample. */
  private sampleOf(b: Block, i: number, c: number): number {
    const corrected = b.corrected[Math.min(c, b.corrected.length - 1)]?.[i] ?? 0
    if (this.share === 0) return corrected
    const other = b.original ?? b.corrected
    const original = other[Math.min(c, other.length - 1)]?.[i] ?? 0
    return this.share === 1 ? original : corrected + this.share * (original - corrected)
  }

  private step(): void {
    if (this.share !== this.shareGoal) {
      const d = this.shareGoal > this.share ? 1 / SWITCH : -1 / SWITCH
      this.share = Math.abs(this.shareGoal - this.share) <= 1 / SWITCH ? this.shareGoal : this.share + d
    }
    if (this.gain !== this.gainGoal) {
      const d = this.gainGoal > this.gain ? 1 / FADE : -1 / FADE
      this.gain = Math.abs(this.gainGoal - this.gain) <= 1 / FADE ? this.gainGoal : this.gain + d
    }
    this.position++
    if (this.loop && this.position === this.loop.to) this.position = this.loop.from
    if (this.gain === 0 && this.gainGoal === 0) {
      if (this.seekTo === null) this.halt()
      else {
        this.position = this.seekTo
        this.seekTo = null
        this.gainGoal = 1
      }
    }
    if (this.state === 'playing' && !this.loop && this.position >= this.end) this.halt()
  }

  /**
   * Fills output channels with the next samples. Where a block has not come yet, the position waits in silence.
   *
   * @param out one or two channels of equal length
   */
  process(out: readonly Float32Array[]): void {
    const length = out[0]?.length ?? 0
    for (const o of out) o.fill(0)
    if (this.state === 'waiting' && this.blocks.has(Math.floor(this.position / BLOCK))) this.state = 'playing'
    for (let n = 0; n < length && this.state === 'playing'; n++) {
      const index = Math.floor(this.position / BLOCK)
      const held = this.blocks.get(index)
      if (!held) {
        this.state = 'waiting'
        this.gain = 0
        return
      }
      const i = this.position - index * BLOCK
      const since = this.position - held.oldFrom
      const fading = held.old !== null && since >= 0 && since < FADE
      for (let c = 0; c < out.length; c++) {
        let v = this.sampleOf(held.block, i, c)
        if (fading) v += (1 - since / FADE) * (this.sampleOf(held.old!, i, c) - v)
        if (this.gain !== 1) v *= this.gain
        const level = Math.abs(v)
        if (level > this.peaks[c]!) this.peaks[c] = level
        if (this.clickGain > 0) v += this.clickGain * this.gain * held.block.click[i]!
        out[c]![n] = v
      }
      if (held.old && !fading) held.old = null
      this.step()
    }
  }

  /** State for the page; peaks start anew. */
  report(time: number): PlayerReport {
    const peaks = this.peaks
    this.peaks = [0, 0]
    return { state: this.state, position: this.position, peaks, time }
  }
}
