// Rises of level in the milliseconds around an attack: where they are, and what each is like.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { readLowered } from './source'

/** Times that first differences are taken. Each evens the spectrum by 6 dB an octave more: ringing tones hide less. */
export const DIFFERENCES = [0, 1, 2, 5] as const
/** Each difference takes this much of the sample before away. */
const EMPHASIS = 0.95
/** Recordings are read at the highest rate below twice this that halving gives, Hz. */
const RATE = 40000
/** Powers are summed over so many seconds. */
const BLOCK = 8 / 44100
/** Level is compared over this long on either side, seconds. */
const SHORT = 0.002
const LONG = 0.008
/** What is 40 dB below the loudest counts as silence. */
const FLOOR = 1e-4
const QUIETEST = -6

/** A stretch of a recording, channels apart, at a rate that its rises are looked for at. */
export interface Stretch {
  /** Sample i of it lies at sample (from + i) * factor of the recording. */
  readonly from: number
  readonly factor: number
  /** Hz. */
  readonly rate: number
  readonly channels: readonly Float32Array[]
}

/** Reads a stretch of a recording, zero outside. @param from, to samples of the recording */
export function stretchOf(
  channels: readonly Float32Array[],
  sampleRate: number,
  from: number,
  to: number,
): Stretch {
  const times = Math.max(0, Math.floor(Math.log2(sampleRate / RATE)))
  const factor = 2 ** times
  const first = Math.floor(from / factor)
  const count = Math.max(0, Math.ceil(to / factor) - first)
  return {
    from: first,
    factor,
    rate: sampleRate / factor,
    channels: channels.map((c) => readLowered(c, first, count, times)),
  }
}

/**
 * Power of a recording's channels together, sample by sample, zero outside.
 *
 * @param from, to samples of the recording; @param times first differences that are taken before
 */
export function differencedPower(
  channels: readonly Float32Array[],
  from: number,
  to: number,
  times: number,
): Float64Array {
  const out = new Float64Array(to - from)
  for (const c of channels) {
    const x = new Float64Array(to - from + times)
    for (let i = 0; i < x.length; i++) x[i] = c[from - times + i] ?? 0
    for (let k = 0; k < times; k++) for (let i = x.length - 1; i > k; i--) x[i]! -= EMPHASIS * x[i - 1]!
    for (let i = 0; i < out.length; i++) out[i]! += x[i + times]! ** 2
  }
  return out
}

export const ORDERS = DIFFERENCES.length

const greatest = (x: Float64Array, from: number, to: number): number => {
  let top = 1e-12
  for (let i = from; i < to; i++) if (x[i]! > top) top = x[i]!
  return top
}

/** Adds how clearly a mean after a block rises over that before it. */
function addClearness(
  means: Float64Array,
  span: number,
  top: number,
  worth: number,
  from: number,
  to: number,
  out: Float64Array,
): void {
  const floor = FLOOR * top
  for (let i = from; i < to; i++) {
    const after = means[i + span]!
    const before = means[i]!
    if (after > before)
      out[i]! += worth * Math.log((after + floor) / (before + floor)) * Math.sqrt(Math.min(1, after / top))
  }
}

/** Memory that the levels of one stretch after the other lie in. */
let room: Workspace | undefined

/**
 * Levels of a stretch in blocks, 8 samples at 44.1 kHz, after each number of differences (`o` is its index). They are
 * good until those of the next stretch are made, in the same memory.
 *
 * A class, as its methods outlive the thousands of attacks that are looked at: functions made for each would be
 * compiled again and again.
 */
export class Levels {
  /** Samples of the stretch in a block. */
  readonly block: number
  readonly count: number
  /** Blocks of the short and the long comparison. */
  readonly short: number
  readonly long: number
  /** Running sums of block powers. */
  private readonly sums: readonly Float64Array[]
  /** Place i of these is the mean before block i, and place i + span the mean from it on. */
  private readonly shorts: readonly Float64Array[]
  /** Room for such means over the long span, and for one value a block. */
  private readonly longs: Float64Array
  private readonly clear: Float64Array
  /** The loudest short means that levels are told against. */
  private tops: readonly number[] = []
  private readonly space: Workspace

  constructor(s: Stretch) {
    const block = Math.max(1, Math.round(BLOCK * s.rate))
    const spanOf = (t: number): number => Math.max(1, Math.round((t * s.rate) / block))
    const count = Math.floor((s.channels[0]?.length ?? 0) / block)
    const [short, long] = [spanOf(SHORT), spanOf(LONG)]
    this.block = block
    this.count = count
    this.short = short
    this.long = long
    const samples = block * count
    // Rows of as many doubles as floats take room.
    const size = 2 * samples + 2 * ((2 * ORDERS + 2) * (count + 1) + ORDERS * short + long)
    const arrays = 4 + 2 * ORDERS
    if (!room?.reuse(size, arrays)) room = workspace(size, arrays)
    this.space = room
    const { run } = room
    const [left, right] = [room.floats(samples), room.floats(samples)]
    const rows = room.doubles(ORDERS * (count + 1))
    rows.fill(0)
    // Two channels at a time, as many as a vector holds.
    for (let c = 0; c < s.channels.length; c += 2) {
      left.set(s.channels[c]!.subarray(0, samples))
      if (c + 1 < s.channels.length) right.set(s.channels[c + 1]!.subarray(0, samples))
      else right.fill(0)
      run.blockPowers(left.byteOffset, right.byteOffset, block, count, EMPHASIS, rows.byteOffset, count + 1)
    }
    this.sums = DIFFERENCES.map((_, o) => rows.subarray(o * (count + 1), (o + 1) * (count + 1)))
    this.shorts = this.sums.map((q) => {
      run.runningSums(q.byteOffset, count)
      return this.means(q, short, room!.doubles(count + short))
    })
    this.longs = room.doubles(count + long)
    this.clear = room.doubles(count)
  }

  private means(sums: Float64Array, span: number, out: Float64Array): Float64Array {
    this.space.run.slidingMeans(sums.byteOffset, this.count, span, out.byteOffset)
    return out
  }

  /** Tells levels against the loudest short mean in blocks [from, to) from now on. */
  against(from: number, to: number): void {
    const { short } = this
    const [first, last] = [Math.max(0, from) + short, Math.min(this.count, to) + short]
    this.tops = this.shorts.map((q) => greatest(q, first, last))
  }

  private mean(o: number, a: number, b: number): number {
    const lo = Math.max(0, a)
    const hi = Math.min(this.count, b)
    return hi > lo ? (this.sums[o]![hi]! - this.sums[o]![lo]!) / (hi - lo) : 0
  }

  private over(o: number, after: number, before: number): number {
    const floor = FLOOR * this.tops[o]!
    return Math.log((after + floor) / (before + floor))
  }

  /** Short mean after a block over the loudest. */
  private share(o: number, i: number): number {
    return this.mean(o, i, i + this.short) / this.tops[o]!
  }

  /** Natural log of power after a block over power before it, over so many blocks. */
  ratio(o: number, i: number, span: number): number {
    return this.over(o, this.mean(o, i, i + span), this.mean(o, i - span, i))
  }

  /** Natural log of short power after a block over the least in [from, to]. */
  overLeast(o: number, i: number, from: number, to: number): number {
    let low = Infinity
    for (let k = from; k <= to; k++) low = Math.min(low, this.mean(o, k, k + this.short))
    return this.over(o, this.mean(o, i, i + this.short), low)
  }

  /** Puts in `out` from `at` on the short levels at `count` blocks, `step` apart from `first` on. */
  course(o: number, first: number, step: number, count: number, out: Float32Array, at: number): void {
    for (let k = 0; k < count; k++) out[at + k] = asLevel(this.share(o, Math.round(first + k * step)))
  }

  /** Puts in `out`, by number of differences: the rise over the short span, the level, and the rise over the long one. */
  tell(i: number, out: Float32Array): void {
    for (let o = 0; o < ORDERS; o++) {
      out[o] = this.ratio(o, i, this.short)
      out[ORDERS + o] = asLevel(this.share(o, i))
      out[2 * ORDERS + o] = this.ratio(o, i, this.long)
    }
  }

  /** How clear the rises at blocks [from, to) are in all of them together; 0 at the others. Good until the next call. */
  clearness(from: number, to: number, withLong: boolean): Float64Array {
    const out = this.clear.fill(0)
    const first = Math.max(0, from)
    for (let o = 0; o < ORDERS; o++) {
      const top = this.tops[o]!
      addClearness(this.shorts[o]!, this.short, top, 1, first, to, out)
      if (!withLong) continue
      const longs = this.means(this.sums[o]!, this.long, this.longs)
      addClearness(longs, this.long, top, 0.5, first, to, out)
    }
    return out
  }
}

/** A value as a feature: levels are told apart by logarithms down to 52 dB below the loudest. */
const asLevel = (share: number): number => Math.max(QUIETEST, Math.log(share + FLOOR))

/**
 * Blocks at which something peaks, the greatest first.
 *
 * @param around blocks on either side that must not be greater; @param least values that count
 */
export function greatestPeaks(
  x: Float64Array,
  from: number,
  to: number,
  around: number,
  least: number,
  most: number,
): number[] {
  const peaks: number[] = []
  for (let i = from; i < to; i++) {
    if (!(x[i]! > least)) continue
    let is = true
    for (let k = Math.max(from, i - around); is && k <= Math.min(to - 1, i + around); k++)
      is = x[k]! < x[i]! || (x[k] === x[i] && k >= i)
    if (is) peaks.push(i)
  }
  return peaks.sort((a, b) => x[b]! - x[a]!).slice(0, most)
}
