// Rises of level in the milliseconds around an attack: where they are, and what each is like.
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
    const x = Float64Array.from({ length: to - from + times }, (_, i) => c[from - times + i] ?? 0)
    for (let k = 0; k < times; k++) for (let i = x.length - 1; i > k; i--) x[i]! -= EMPHASIS * x[i - 1]!
    for (let i = 0; i < out.length; i++) out[i]! += x[i + times]! ** 2
  }
  return out
}

/** Levels of a stretch in blocks, after each number of differences. */
export interface Levels {
  /** Samples of the stretch in a block. */
  readonly block: number
  readonly count: number
  /** Blocks of the short and the long comparison. */
  readonly short: number
  readonly long: number
  /** Loudest short mean in blocks [from, to), by number of differences; what the others are measured by. */
  loudest(from: number, to: number): Loudness
}

/** Levels against the loudest, by the index of a number of differences. */
export interface Loudness {
  /** Short mean after a block over the loudest. */
  share(o: number, i: number): number
  /** Natural log of power after a block over power before it, over so many blocks. */
  ratio(o: number, i: number, span: number): number
  /** Natural log of short power after a block over the least in [from, to]. */
  overLeast(o: number, i: number, from: number, to: number): number
  /** How clear the rise at a block is in all of them together. */
  clearness(i: number, withLong: boolean): number
}

/** Running sums of block powers after each number of differences, channels together. */
function runningSums(s: Stretch, block: number, count: number): Float64Array[] {
  const sums = DIFFERENCES.map(() => new Float64Array(count + 1))
  const most = DIFFERENCES[DIFFERENCES.length - 1]!
  for (const x of s.channels) {
    // The sample before, after each number of differences.
    const before = new Float64Array(most)
    for (let b = 0, i = 0; b < count; b++)
      for (let k = 0; k < block; k++, i++) {
        let v = x[i]!
        sums[0]![b + 1]! += v * v
        for (let d = 0, o = 1; d < most; d++) {
          const next = v - EMPHASIS * before[d]!
          before[d] = v
          v = next
          if (DIFFERENCES[o] !== d + 1) continue
          sums[o]![b + 1]! += v * v
          o++
        }
      }
  }
  for (const q of sums) for (let i = 0; i < count; i++) q[i + 1]! += q[i]!
  return sums
}

export function levelsOf(s: Stretch): Levels {
  const block = Math.max(1, Math.round(BLOCK * s.rate))
  const count = Math.floor((s.channels[0]?.length ?? 0) / block)
  const sums = runningSums(s, block, count)
  const [short, long] = [SHORT, LONG].map((t) => Math.max(1, Math.round((t * s.rate) / block))) as [
    number,
    number,
  ]
  /** Mean power of blocks [a, b). */
  const mean = (o: number, a: number, b: number): number => {
    const [lo, hi] = [Math.max(0, a), Math.min(count, b)]
    return hi > lo ? (sums[o]![hi]! - sums[o]![lo]!) / (hi - lo) : 0
  }
  const loudest = (from: number, to: number): Loudness => {
    const tops = sums.map((_, o) => {
      let top = 1e-12
      for (let i = from; i < to; i++) top = Math.max(top, mean(o, i, i + short))
      return top
    })
    const share = (o: number, i: number): number => mean(o, i, i + short) / tops[o]!
    const times = (o: number, i: number, span: number): number => {
      const floor = FLOOR * tops[o]!
      return (mean(o, i, i + span) + floor) / (mean(o, i - span, i) + floor)
    }
    return {
      share,
      ratio: (o, i, span) => Math.log(times(o, i, span)),
      overLeast(o, i, first, last) {
        let low = Infinity
        for (let k = first; k <= last; k++) low = Math.min(low, mean(o, k, k + short))
        const floor = FLOOR * tops[o]!
        return Math.log((mean(o, i, i + short) + floor) / (low + floor))
      },
      clearness(i, withLong) {
        let sum = 0
        for (let o = 0; o < tops.length; o++) {
          const rise = times(o, i, short)
          if (rise > 1) sum += Math.log(rise) * Math.sqrt(Math.min(1, share(o, i)))
          if (!withLong) continue
          const swell = times(o, i, long)
          if (swell > 1) sum += 0.5 * Math.log(swell) * Math.sqrt(mean(o, i, i + long) / tops[o]!)
        }
        return sum
      },
    }
  }
  return { block, count, short, long, loudest }
}

/** A value as a feature: levels are told apart by logarithms down to 52 dB below the loudest. */
export const asLevel = (share: number): number => Math.max(QUIETEST, Math.log(share + FLOOR))

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
