// The low band of a recording; what is left when it is taken away is the high band.
import { fftSize, realFft } from '../dsp/fft'
import { copyRange } from '../dsp/signal'
import { besselI0, kaiserBeta } from '../dsp/windows'
import type { Source } from './types'

/** Taps on one side, seconds: what rings before an attack is shorter than what the ear tells from it. */
const REACH_SECONDS = 0.004
const ATTENUATION = 60
/** Samples filtered at a time. */
const BLOCK = 3072

interface Filter {
  readonly rate: number
  readonly cutoff: number
  readonly reach: number
  readonly size: number
  readonly taps: Float32Array
}
let kept: Filter | undefined

/**
 * Linear-phase low-pass by a Kaiser window.
 *
 * Source: J. F. Kaiser, "Nonrecursive digital filter design using the I0-sinh window function", ISCAS 1974.
 */
function filterFor(rate: number, cutoff: number): Filter {
  if (kept?.rate === rate && kept.cutoff === cutoff) return kept
  const reach = Math.round(REACH_SECONDS * rate)
  const size = fftSize(BLOCK + 2 * reach)
  const taps = new Float32Array(size)
  const beta = kaiserBeta(ATTENUATION)
  let sum = 0
  for (let i = -reach; i <= reach; i++) {
    const x = (2 * Math.PI * cutoff * i) / rate
    const w = besselI0(beta * Math.sqrt(1 - (i / (reach + 1)) ** 2))
    const tap = (i === 0 ? 1 : Math.sin(x) / x) * w
    taps[i + reach] = tap
    sum += tap
  }
  for (let i = 0; i <= 2 * reach; i++) taps[i]! /= sum
  kept = { rate, cutoff, reach, size, taps }
  return kept
}

/**
 * The low band of a range of a recording, no later and no earlier than the recording.
 *
 * @param cutoff Hz; the band is half as strong there
 * @returns planar audio of to - from samples
 */
export function lowBand(source: Source, from: number, to: number, cutoff: number): Float32Array[] {
  const { reach, size, taps } = filterFor(source.sampleRate, cutoff)
  const fft = realFft(size)
  const block = new Float32Array(size)
  const filtered = new Float32Array(size)
  return source.channels.map((x) => {
    const out = new Float32Array(to - from)
    for (let at = from; at < to; at += BLOCK) {
      const n = Math.min(BLOCK, to - at)
      copyRange(x, at - reach, at + n + reach, block.fill(0))
      fft.convolve(block, taps, filtered)
      out.set(filtered.subarray(2 * reach, 2 * reach + n), at - from)
    }
    return out
  })
}
