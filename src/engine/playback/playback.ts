// Playback in the page: keeps the audio thread fed with mixed blocks around the playhead.
import { InputError } from '../../core/errors'
import { clickRange, DEFAULT_CLICK, type ClickStyle } from '../../core/render/click'
import { mixRange, piecesIn, type PieceSamples } from '../../core/render/mix'
import type { Piece, Plan } from '../../core/render/plan'
import type { Session } from '../../core/session/types'
import { BLOCK, type Block, type Loop, type PlayerMessage, type PlayerReport } from './player-core'
import workletUrl from './player.worklet?worker&url'

/** How far ahead of the playhead blocks are kept ready, seconds. */
const AHEAD = 2.5
/** Blocks mixed in one go before the page gets a turn. */
const AT_ONCE = 12
/** Blocks that still wait for pieces, after which later ones are not tried. */
const MOST_WAITING = 3

/** Version of a block that was sent without its original, against one with both. */
const HALF = 0.5
/** A change counts as heard when this many blocks from the playhead on are sent. */
const HEARD = 4
/** What waits for a change to be heard waits no longer than this, milliseconds. */
const LONGEST_WAIT = 600

/** What is to be played. */
export interface Program {
  readonly session: Session
  readonly corrected: Plan
  /** Made when it is first asked for. */
  readonly original: Plan
}

/** What playback needs from the renderer. */
export interface PieceStore {
  readonly samples: PieceSamples
  /** Asks for pieces in this order; calls back as they arrive are the caller's affair. */
  want(pieces: readonly Piece[]): void
}

export class Playback {
  private context: AudioContext | undefined
  private node: AudioWorkletNode | undefined
  private opening: Promise<void> | undefined
  private program: Program | undefined
  private version = 0
  private readonly sent = new Map<number, number>()
  private position = 0
  private loop: Loop | null = null
  private feeding = false
  private clickGain = 0
  private clickStyle: ClickStyle = DEFAULT_CLICK
  /** While counting in: the session sample before which only the click sounds. */
  private countedIn: number | null = null
  private original = false
  private playing = false
  /** The change that is not heard yet, and what waits for it. */
  private changing = false
  private readonly after = new Set<() => void>()
  /** Told about every report of the audio thread. */
  onReport: (r: PlayerReport) => void = () => {}

  constructor(private readonly store: PieceStore) {}

  /** Seconds from a sample leaving the audio thread until it is heard. */
  get latency(): number {
    return (this.context?.outputLatency ?? 0) + (this.context?.baseLatency ?? 0)
  }

  /** The audio clock, seconds. */
  get now(): number {
    return this.context?.currentTime ?? 0
  }

  /** Range that plays round and round, session samples; null for none. */
  setLoop(loop: Loop | null): void {
    this.loop = loop
    this.post({ type: 'loop', loop })
    this.feed()
  }

  setClick(gain: number): void {
    this.clickGain = gain
    this.post({ type: 'click', gain })
  }

  /** How the click sounds from now on. */
  setClickStyle(style: ClickStyle): void {
    this.clickStyle = style
    this.version++
    this.feed()
  }

  hear(original: boolean): void {
    this.original = original
    this.post({ type: 'hear', original })
  }

  /** Takes a changed session; what sounds changes as soon as its pieces are there. */
  setProgram(program: Program): void {
    const before = this.program?.session
    const { session } = program
    this.program = program
    this.version++
    this.changing = this.playing
    if (this.context && before?.sampleRate !== session.sampleRate) this.close()
    else if (before?.id !== session.id) {
      // Nothing of another session may sound while this one's first blocks are being made.
      this.sent.clear()
      this.post({ type: 'drop', keep: [] })
    }
    this.post({ type: 'end', end: program.corrected.end })
    this.feed()
  }

  /**
   * Plays from a session sample.
   *
   * @param countIn samples before it in which only the click sounds
   */
  async play(from: number, countIn = 0): Promise<void> {
    if (!this.program) return
    await this.open()
    this.countFrom(countIn > 0 ? from : null)
    this.position = from - countIn
    await this.context!.resume()
    this.feed()
    this.post({ type: 'play', from: from - countIn, end: this.program.corrected.end })
  }

  private countFrom(at: number | null): void {
    if (this.countedIn === at) return
    this.countedIn = at
    this.version++
  }

  stop(): void {
    this.countFrom(null)
    this.post({ type: 'stop' })
  }

  seek(to: number): void {
    this.countFrom(null)
    this.position = to
    this.post({ type: 'seek', to })
    this.feed()
  }

  close(): void {
    void this.context?.close()
    this.context = undefined
    this.node = undefined
    this.opening = undefined
    this.playing = false
    this.heard()
    this.sent.clear()
  }

  private open(): Promise<void> {
    this.opening ??= this.openContext().catch((e: unknown) => {
      this.close()
      throw e
    })
    return this.opening
  }

  private async openContext(): Promise<void> {
    const { sampleRate } = this.program!.session
    let context: AudioContext
    try {
      context = new AudioContext({ sampleRate, latencyHint: 'interactive' })
    } catch {
      throw new InputError(
        `This browser cannot play at ${sampleRate / 1000} kHz; rendering to a file still works.`,
      )
    }
    await context.audioWorklet.addModule(workletUrl)
    const node = new AudioWorkletNode(context, 'unwarp-player', {
      numberOfInputs: 0,
      outputChannelCount: [2],
    })
    node.port.onmessage = (e: MessageEvent<PlayerReport>) => {
      this.position = e.data.position
      this.playing = e.data.state !== 'stopped'
      if (!this.playing) this.heard()
      this.onReport(e.data)
      this.feed()
    }
    node.connect(context.destination)
    this.context = context
    this.node = node
    this.sent.clear()
    this.setLoop(this.loop)
    this.setClick(this.clickGain)
    this.hear(this.original)
  }

  private post(m: PlayerMessage): void {
    this.node?.port.postMessage(m)
  }

  /** Blocks that will sound next, in order. */
  private upcoming(): number[] {
    const rate = this.program!.session.sampleRate
    const last = Math.floor((this.program!.corrected.end - 1) / BLOCK)
    const out = new Set<number>()
    let at = this.position
    for (let left = AHEAD * rate; left > 0;) {
      const index = Math.floor(at / BLOCK)
      out.add(index)
      const next = (index + 1) * BLOCK
      const wraps = this.loop !== null && at < this.loop.to && next >= this.loop.to
      left -= (wraps ? this.loop!.to : next) - at
      at = wraps ? this.loop!.from : next
      if (!this.loop && index > last) break
    }
    return [...out]
  }

  /** Sends what is missing or out of date among the blocks that will sound next. */
  feed(): void {
    if (!this.program || !this.node) return
    const wanted = this.upcoming()
    // A change is heard sooner when what nobody listens to is made after it.
    const both = !this.changing || this.original
    const needed = both ? this.version : this.version - HALF
    const isSent = (i: number): boolean => (this.sent.get(i) ?? 0) >= needed
    const stale = wanted.filter((i) => !isSent(i))
    // What was sent needs no pieces any more.
    this.askFor(stale, both)
    const ready: Block[] = []
    let waiting = 0
    for (const index of stale) {
      if (ready.length === AT_ONCE) {
        this.again()
        break
      }
      const block = this.mix(index, both)
      if (!block) {
        if (++waiting === MOST_WAITING) break
        continue
      }
      ready.push(block)
      this.sent.set(index, needed)
    }
    if (ready.length) this.post({ type: 'blocks', blocks: ready })
    if (this.changing && wanted.slice(0, HEARD).every(isSent)) this.heard()
    if (this.sent.size > 4 * wanted.length + 64) {
      const keep = new Set(wanted)
      for (const i of this.sent.keys()) if (!keep.has(i)) this.sent.delete(i)
      this.post({ type: 'drop', keep: wanted })
    }
  }

  /**
   * Does something as soon as the last change is heard, at once where nothing plays: the page's larger pictures may
   * wait, the player may not. The same function waits once, and not for longer than a moment.
   */
  afterChange(work: () => void): void {
    if (!this.changing) return work()
    if (this.after.size === 0) setTimeout(() => this.heard(), LONGEST_WAIT)
    this.after.add(work)
  }

  private heard(): void {
    this.changing = false
    this.again()
    const all = [...this.after]
    this.after.clear()
    for (const work of all) setTimeout(work, 0)
  }

  /** Feeds a moment later, once for all that ask meanwhile: pieces arrive by the dozen. */
  again(): void {
    if (this.feeding) return
    this.feeding = true
    setTimeout(() => {
      this.feeding = false
      this.feed()
    }, 0)
  }

  private plans(both: boolean): Plan[] {
    const { corrected } = this.program!
    return both ? [corrected, this.program!.original] : [corrected]
  }

  private askFor(blocks: readonly number[], both: boolean): void {
    const pieces = new Map<string, Piece>()
    // Blocks that follow each other are asked for together; within them pieces come in the order of their places.
    for (let i = 0; i < blocks.length;) {
      const first = blocks[i]!
      let last = first
      while (++i < blocks.length && blocks[i] === last + 1) last++
      for (const plan of this.plans(both))
        for (const p of piecesIn(plan, first * BLOCK, (last + 1) * BLOCK)) pieces.set(p.key, p)
    }
    this.store.want([...pieces.values()])
  }

  private mix(index: number, both: boolean): Block | undefined {
    const { session } = this.program!
    const [from, to] = [index * BLOCK, (index + 1) * BLOCK]
    const mixed: Float32Array[][] = []
    for (const plan of this.plans(both)) {
      const x = mixRange(plan, this.store.samples, from, to)
      if (!x) return undefined
      mixed.push(x.slice(0, 2))
    }
    const [corrected, original] = mixed
    const click = clickRange(session.tempo, session.meter, session.sampleRate, from, to, this.clickStyle)
    const silent = Math.min(to, this.countedIn ?? from) - from
    if (silent > 0) for (const x of mixed.flat()) x.fill(0, 0, silent)
    return { index, corrected: corrected!, ...(original ? { original } : {}), click }
  }
}
