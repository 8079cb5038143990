// A recording at the lower rate that analysis works at; hours of audio are lowered block by block to fit in memory.
import { HALVE_REACH, halveRange } from '../dsp/decimate'
import { meanInto } from '../dsp/energy'
import { copyRange, sliceRange } from '../dsp/signal'
import { sameChannels, surveyOf, type Survey } from './survey'

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
/** And at a time at rates in between: fresh memory for whole copies would cost more than the filter. */
const WARM = 1 << 13
/** Recordings up to this many samples a channel are lowered once and kept with their channels. */
const KEPT = 3e7

const halvings = (sampleRate: number): number => {
  let times = 0
  while (sampleRate / 2 ** (times + 1) >= LEAST_RATE) times++
  return times
}

/**
 * Samples of a channel at a rate lower by 2^times; zero outside the recording.
 *
 * @param from first sample, at the lower rate; @param count samples, at the lower rate
 */
export function readLowered(x: Float32Array, from: number, count: number, times: number): Float32Array {
  if (times === 0) return sliceRange(x, from, from + count)
  if (times === 1) return halveRange(x, 2 * from, count)
  const out = new Float32Array(count)
  for (let at = 0; at < count; at += WARM) {
    const n = Math.min(WARM, count - at)
    const between = readLowered(x, 2 * (from + at) - HALVE_REACH, 2 * (n + HALVE_REACH), times - 1)
    halveRange(between, HALVE_REACH, n, out, at)
  }
  return out
}

/** Low-rate copies of short channels, for as long as the channels themselves are kept. */
const kept = new WeakMap<Float32Array, { readonly sampleRate: number; readonly low: Float32Array }>()

function lowChannel(x: Float32Array, sampleRate: number): Float32Array {
  const known = kept.get(x)
  if (known?.sampleRate === sampleRate) return known.low
  const times = halvings(sampleRate)
  const low = times ? readLowered(x, 0, Math.ceil(x.length / 2 ** times), times) : x
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

/** A stretch of all channels at the low rate. */
interface Block {
  readonly from: number
  readonly channels: readonly Float32Array[]
}

/** Channels and what stands for all of them, lowered together as they are read. */
export interface Sources {
  readonly all: Source
  readonly main: Source
}

/**
 * Reads a long recording, or a part of it, block by block.
 *
 * @param span samples of a block, at the low rate; @param before those that are made before the first that is read
 */
function longSources(
  channels: readonly Float32Array[],
  sampleRate: number,
  seen: () => Survey,
  span = BLOCK,
  before = 0,
): Sources {
  const times = halvings(sampleRate)
  const factor = 2 ** times
  const length = Math.ceil((channels[0]?.length ?? 0) / factor)
  let block: Block | undefined
  const blockAt = (start: number, size: number): Block => {
    const end = block ? block.from + block.channels[0]!.length : 0
    // What lies outside is zero, not the filter's echo of the first and last samples.
    const least = Math.max(0, start)
    if (!block || least < block.from || (start + size > end && end < length)) {
      const from = Math.max(0, start - before)
      const count = Math.max(0, Math.min(Math.max(span, size + before), length - from))
      block = { from, channels: channels.map((x) => readLowered(x, from, count, times)) }
    }
    return block
  }
  let mean: { readonly of: Block; readonly samples: Float32Array } | undefined
  const mainIn = (of: Block): Float32Array => {
    if (mean?.of === of) return mean.samples
    const samples = mainOf(of.channels, seen)
    mean = { of, samples }
    return samples
  }
  const rate = sampleRate / factor
  return {
    all: {
      rate,
      factor,
      length,
      channelCount: channels.length,
      copy(channel, from, out) {
        const b = blockAt(from, out.length)
        copyOf(b.channels[channel]!, from - b.from, out)
      },
    },
    main: {
      rate,
      factor,
      length,
      channelCount: 1,
      copy(_, from, out) {
        const b = blockAt(from, out.length)
        copyOf(mainIn(b), from - b.from, out)
      },
    },
  }
}

/** Longest piece that is lowered at once, seconds, and what is made before its first place that is read. */
const LONGEST_PIECE = 40
const BEFORE = 0.2

/**
 * A piece of a recording, lowered once for all who read it: places from somewhere on, about so many seconds of them.
 *
 * @param seen the recording's survey
 */
export function pieceSources(
  channels: readonly Float32Array[],
  sampleRate: number,
  seconds: number,
  seen: Survey,
): Sources {
  const rate = sampleRate / 2 ** halvings(sampleRate)
  const span = Math.ceil((Math.min(seconds, LONGEST_PIECE) + 2 * BEFORE) * rate)
  return longSources(channels, sampleRate, () => seen, span, Math.ceil(BEFORE * rate))
}

/**
 * All channels at the analysis rate.
 *
 * @param part only a part will be read: it is lowered as it is read, and nothing is kept
 */
export function channelSource(channels: readonly Float32Array[], sampleRate: number, part = false): Source {
  const length = channels[0]?.length ?? 0
  if (part || length > KEPT)
    return longSources(channels, sampleRate, () => surveyOf(channels, sampleRate)).all
  const lows = channels.map((c) => lowChannel(c, sampleRate))
  return shortSource(lows, length, sampleRate)
}

/** The mean of all channels, or the loudest where that would cancel. */
function mainOf(channels: readonly Float32Array[], seen: () => Survey): Float32Array {
  if (channels.length === 1) return channels[0]!
  const { cancels, loudest } = seen()
  if (cancels) return channels[loudest]!
  const length = channels[0]!.length
  const out = new Float32Array(length)
  meanInto(channels, 0, length, out)
  return out
}

/** Mains of short recordings, for as long as their first channel is kept. */
const mains = new WeakMap<
  Float32Array,
  { readonly channels: readonly Float32Array[]; readonly main: Float32Array }
>()

/**
 * One signal to stand for all channels, for pitch and harmony: their mean, or the loudest channel where the mean
 * would cancel (inverted polarity, microphones far apart).
 */
export function mainSource(channels: readonly Float32Array[], sampleRate: number): Source {
  const length = channels[0]?.length ?? 0
  const seen = (): Survey => surveyOf(channels, sampleRate)
  if (length > KEPT) return longSources(channels, sampleRate, seen).main
  if (length === 0) return shortSource([new Float32Array(0)], 0, sampleRate)
  const known = mains.get(channels[0]!)
  const same = known !== undefined && sameChannels(known.channels, channels)
  const lows = (): Float32Array[] => channels.map((c) => lowChannel(c, sampleRate))
  const main = same ? known.main : mainOf(lows(), seen)
  if (!same) mains.set(channels[0]!, { channels: [...channels], main })
  return shortSource([main], length, sampleRate)
}
