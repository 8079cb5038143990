// A recording at the lower rate that analysis works at; hours of audio are lowered block by block to fit in memory.
import { HALVE_REACH, halve } from '../dsp/decimate'
import { energy, meanEnergy } from '../dsp/energy'
import { copyRange } from '../dsp/signal'

/** Audio for analysis. Sample i of it lies at sample i * factor of the recording. */
export interface Source {
  /** Hz. */
  readonly rate: number
  readonly factor: number
  /** Samples at this rate. */
  readonly length: number
  readonly channelCount: number
  /**
   * Copies as many samples as the window has from `from` on, times the window; zero outside the recording.
   * Cheap when places rise from call to call.
   */
  frame(channel: number, from: number, window: Float32Array, out: Float32Array): void
  /** The same without a window, as many as `out` has. */
  copy(channel: number, from: number, out: Float32Array): void
}

/** Rates at or above twice this are lowered, Hz. */
const LEAST_RATE = 16000
/** Samples made at a time of a long recording. */
const BLOCK = 1 << 17
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

/** Low-rate copies of short channels, for as long as the channels themselves are kept. */
const kept = new WeakMap<Float32Array, { readonly sampleRate: number; readonly low: Float32Array }>()

function lowChannel(x: Float32Array, sampleRate: number): Float32Array {
  const known = kept.get(x)
  if (known?.sampleRate === sampleRate) return known.low
  const times = halvings(sampleRate)
  const low = times ? lowRange(readerOf(x), 0, Math.ceil(x.length / 2 ** times), times) : x
  kept.set(x, { sampleRate, low })
  return low
}

function frameOf(samples: Float32Array, shift: number, window: Float32Array, out: Float32Array): void {
  const size = window.length
  const from = Math.max(0, -shift)
  const to = Math.min(size, samples.length - shift)
  if (from > 0 || to < size) out.fill(0)
  for (let i = from; i < to; i++) out[i] = samples[shift + i]! * window[i]!
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
    frame: (channel, from, window, out) => frameOf(lows[channel]!, from, window, out),
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
    frame(channel, from, window, out) {
      const block = blockAt(channel, from, window.length)
      frameOf(block.samples, from - block.from, window, out)
    },
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

/** Index of the channel with the most energy. */
export function loudestChannel(channels: readonly Float32Array[]): number {
  const powers = channels.map((c) => energy(c))
  return powers.indexOf(Math.max(...powers))
}

/** Adds [from, to) of all channels, each divided by their number, into `out`. */
function addMean(
  channels: readonly Float32Array[],
  from: number,
  to: number,
  out: Float32Array,
): Float32Array {
  const share = 1 / channels.length
  for (const c of channels) {
    const lo = Math.max(0, from)
    const hi = Math.min(c.length, to)
    for (let i = lo; i < hi; i++) out[i - from]! += c[i]! * share
  }
  return out
}

/** Below this share of the loudest channel's energy the mean of the channels is taken to cancel. */
const CANCELS = 0.25

/** The main signal of a short recording at the analysis rate. */
function shortMain(channels: readonly Float32Array[], sampleRate: number): Float32Array {
  const lows = channels.map((c) => lowChannel(c, sampleRate))
  if (lows.length === 1) return lows[0]!
  const mean = addMean(lows, 0, lows[0]!.length, new Float32Array(lows[0]!.length))
  const loudest = lows[loudestChannel(lows)]!
  return energy(mean) < CANCELS * energy(loudest) ? loudest : mean
}

function longMain(channels: readonly Float32Array[]): Reader {
  const loudest = channels[loudestChannel(channels)]!
  if (channels.length === 1 || meanEnergy(channels) < CANCELS * energy(loudest)) return readerOf(loudest)
  return (from, to) => addMean(channels, from, to, new Float32Array(to - from))
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
 * @param part as for `channelSource`
 */
export function mainSource(channels: readonly Float32Array[], sampleRate: number, part = false): Source {
  const length = channels[0]?.length ?? 0
  if (part || length > KEPT) return longSource([longMain(channels)], length, sampleRate)
  if (length === 0) return shortSource([new Float32Array(0)], 0, sampleRate)
  const known = mains.get(channels[0]!)
  const same = known?.channels.length === channels.length && known.channels.every((c, i) => c === channels[i])
  const main = same ? known!.main : shortMain(channels, sampleRate)
  if (!same) mains.set(channels[0]!, { channels: [...channels], main })
  return shortSource([main], length, sampleRate)
}
