// A recording at the lower rate that analysis works at; hours of audio are lowered block by block to fit in memory.
import { HALVE_REACH, halve } from '../dsp/decimate'
import { energy, meanEnergy, meanInto } from '../dsp/energy'
import { copyRange } from '../dsp/signal'
import type { Progress } from './progress'

/** Audio for analysis. Sample i of it lies at sample i * factor of the recording. */
export interface Source {
  /** Hz. */
  readonly rate: number
  readonly factor: number
  /** Samples at this rate. */
  readonly length: number
  readonly channelCount: number
  /** Copies as many samples as `out` has from `from` on, zero outside the recording. Cheap when places rise. */
  copy(channel: number, from: number, out: Float32Array): void
}

/** Rates at or above twice this are lowered, Hz. */
const LEAST_RATE = 16000
/** Samples made at a time of a long recording. */
const BLOCK = 1 << 17
/** And at a time of a shorter one. */
const WARM = 1 << 13
/** Recordings up to this many samples a channel are lowered once and kept with their channels. */
const KEPT = 3e7

/** Reads [from, to) of a channel at full rate, zero outside. */
type Reader = (from: number, to: number) => Float32Array

const readerOf =
  (x: Float32Array): Reader =>
  (from, to) =>
    copyRange(x, from, to, new Float32Array(to - from))

const halvings = (sampleRate: number): number => {
  let times = 0
  while (sampleRate / 2 ** (times + 1) >= LEAST_RATE) times++
  return times
}

/** Halves a range of a signal `times` times; the result starts at `from` and has `count` samples of the low rate. */
function lowRange(read: Reader, from: number, count: number, times: number): Float32Array {
  const factor = 2 ** times
  const margin = HALVE_REACH * (factor - 1)
  let x = read(from * factor - margin, (from + count) * factor + margin)
  for (let k = 0; k < times; k++) x = halve(x)
  return x
}

/**
 * A few samples of a channel at a rate lower by 2^times; zero outside the recording.
 *
 * @param from first sample, at the lower rate; @param count samples, at the lower rate
 */
export const readLowered = (x: Float32Array, from: number, count: number, times: number): Float32Array =>
  lowRange(readerOf(x), from, count, times)

/** Low-rate copies of short channels, for as long as the channels themselves are kept. */
const kept = new WeakMap<Float32Array, { readonly sampleRate: number; readonly low: Float32Array }>()

/** A whole channel, lowered block by block: fresh memory for all of its copies would cost more than the filter. */
function loweredInBlocks(x: Float32Array, times: number): Float32Array {
  const out = new Float32Array(Math.ceil(x.length / 2 ** times))
  for (let from = 0; from < out.length; from += WARM)
    out.set(lowRange(readerOf(x), from, Math.min(WARM, out.length - from), times), from)
  return out
}

function lowChannel(x: Float32Array, sampleRate: number): Float32Array {
  const known = kept.get(x)
  if (known?.sampleRate === sampleRate) return known.low
  const times = halvings(sampleRate)
  const low = times ? loweredInBlocks(x, times) : x
  kept.set(x, { sampleRate, low })
  return low
}

function copyOf(samples: Float32Array, from: number, out: Float32Array): void {
  if (from >= 0 && from + out.length <= samples.length) out.set(samples.subarray(from, from + out.length))
  else copyRange(samples, from, from + out.length, out.fill(0))
}

function shortSource(lows: readonly Float32Array[], length: number, sampleRate: number): Source {
  const factor = 2 ** halvings(sampleRate)
  return {
    rate: sampleRate / factor,
    factor,
    length: Math.ceil(length / factor),
    channelCount: lows.length,
    copy: (channel, from, out) => copyOf(lows[channel]!, from, out),
  }
}

interface Block {
  readonly from: number
  readonly samples: Float32Array
}

function longSource(readers: readonly Reader[], fullLength: number, sampleRate: number): Source {
  const times = halvings(sampleRate)
  const factor = 2 ** times
  const length = Math.ceil(fullLength / factor)
  const blocks: (Block | undefined)[] = readers.map(() => undefined)
  const blockAt = (channel: number, start: number, size: number): Block => {
    let block = blocks[channel]
    const end = block ? block.from + block.samples.length : 0
    // What lies outside is zero, not the filter's echo of the first and last samples.
    const from = Math.max(0, start)
    if (!block || from < block.from || (start + size > end && end < length)) {
      const count = Math.max(0, Math.min(Math.max(BLOCK, size), length - from))
      block = { from, samples: lowRange(readers[channel]!, from, count, times) }
      blocks[channel] = block
    }
    return block
  }
  return {
    rate: sampleRate / factor,
    factor,
    length,
    channelCount: readers.length,
    copy(channel, from, out) {
      const block = blockAt(channel, from, out.length)
      copyOf(block.samples, from - block.from, out)
    },
  }
}

/**
 * All channels at the analysis rate.
 *
 * @param part only a part will be read: it is lowered as it is read, and nothing is kept
 */
export function channelSource(channels: readonly Float32Array[], sampleRate: number, part = false): Source {
  const length = channels[0]?.length ?? 0
  if (part || length > KEPT) return longSource(channels.map(readerOf), length, sampleRate)
  const lows = channels.map((c) => lowChannel(c, sampleRate))
  return shortSource(lows, length, sampleRate)
}

/** The mean of all channels at [from, to), zero outside the recording. */
function meanOf(channels: readonly Float32Array[], from: number, to: number): Float32Array {
  const out = new Float32Array(to - from)
  const lo = Math.max(0, from)
  const hi = Math.min(channels[0]!.length, to)
  if (hi > lo) meanInto(channels, lo, hi, out.subarray(lo - from))
  return out
}

/** Below this share of the loudest channel's energy the mean of the channels is taken to cancel. */
const CANCELS = 0.25
/** Loudness is measured over blocks of this many seconds. */
const LOUDNESS_SECONDS = 0.1

/** What one look at a whole recording tells, before any of its frames is made. */
export interface Survey {
  /** Channel with the most energy. */
  readonly loudest: number
  /** The mean of the channels would be much weaker than they are. */
  readonly cancels: boolean
  /** Root mean square of the loud parts: what 95 % of the recording's tenths of a second stay below. */
  readonly loudness: number
}

/** Looks a recording over once. @param progress told now and then; may throw to cancel */
export function survey(channels: readonly Float32Array[], sampleRate: number, progress?: Progress): Survey {
  const block = Math.max(1, Math.round(LOUDNESS_SECONDS * sampleRate))
  const length = channels[0]?.length ?? 0
  const powers = new Float64Array(Math.ceil(length / block))
  const energies = channels.map(() => 0)
  let together = 0
  for (let b = 0; b < powers.length; b++) {
    if (b % 512 === 0) progress?.(0)
    const from = b * block
    const to = Math.min(length, from + block)
    for (let c = 0; c < channels.length; c++) {
      const e = energy(channels[c]!, from, to)
      energies[c]! += e
      powers[b]! += e / (to - from) / channels.length
    }
    if (channels.length > 1) together += meanEnergy(channels, from, to)
  }
  powers.sort()
  const most = Math.max(0, ...energies)
  return {
    loudest: Math.max(0, energies.indexOf(most)),
    cancels: channels.length > 1 && together < CANCELS * most,
    loudness: Math.sqrt(powers[Math.floor(0.95 * powers.length)] ?? 0),
  }
}

/** Surveys, for as long as a recording's first channel is kept. */
const surveys = new WeakMap<
  Float32Array,
  { readonly channels: readonly Float32Array[]; readonly seen: Survey }
>()

const sameChannels = (a: readonly Float32Array[], b: readonly Float32Array[]): boolean =>
  a.length === b.length && a.every((c, i) => c === b[i])

/** The survey of a recording, made once. */
export function surveyOf(channels: readonly Float32Array[], sampleRate: number, progress?: Progress): Survey {
  const first = channels[0]
  const known = first && surveys.get(first)
  if (known && sameChannels(known.channels, channels)) return known.seen
  const seen = survey(channels, sampleRate, progress)
  if (first) surveys.set(first, { channels: [...channels], seen })
  return seen
}

/** The main signal of a short recording at the analysis rate. */
function shortMain(channels: readonly Float32Array[], sampleRate: number, seen: Survey): Float32Array {
  const lows = channels.map((c) => lowChannel(c, sampleRate))
  if (lows.length === 1 || seen.cancels) return lows[seen.loudest]!
  return meanOf(lows, 0, lows[0]!.length)
}

function longMain(channels: readonly Float32Array[], seen: Survey): Reader {
  if (channels.length === 1 || seen.cancels) return readerOf(channels[seen.loudest]!)
  return (from, to) => meanOf(channels, from, to)
}

/** Mains of short recordings, for as long as their first channel is kept. */
const mains = new WeakMap<
  Float32Array,
  { readonly channels: readonly Float32Array[]; readonly main: Float32Array }
>()

/**
 * One signal to stand for all channels, for pitch and harmony: their mean, or the loudest channel where the mean
 * would cancel (inverted polarity, microphones far apart).
 *
 * @param part as for `channelSource`; @param seen the recording's survey, where it is known
 */
export function mainSource(
  channels: readonly Float32Array[],
  sampleRate: number,
  part = false,
  seen = surveyOf(channels, sampleRate),
): Source {
  const length = channels[0]?.length ?? 0
  if (part || length > KEPT) return longSource([longMain(channels, seen)], length, sampleRate)
  if (length === 0) return shortSource([new Float32Array(0)], 0, sampleRate)
  const known = mains.get(channels[0]!)
  const same = known !== undefined && sameChannels(known.channels, channels)
  const main = same ? known.main : shortMain(channels, sampleRate, seen)
  if (!same) mains.set(channels[0]!, { channels: [...channels], main })
  return shortSource([main], length, sampleRate)
}
