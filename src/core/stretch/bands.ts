// The low band of a recording, and what is left when it is taken away: the high band.
import { latest } from '../latest'
import { fftSize, realFft } from '../dsp/fft'
import { copyRange } from '../dsp/signal'
import { besselI0, kaiserBeta } from '../dsp/windows'
import type { Readable, Source } from './types'

/** Taps on one side, seconds: what rings before an attack is shorter than what the ear tells from it. */
const REACH_SECONDS = 0.004
const ATTENUATION = 60
/**
 * Hz on either side of the cutoff within which both bands have something of a partial.
 *
 * Source: Kaiser's formula for the width of a transition, as in A. Oppenheim & R. Schafer, "Discrete-Time Signal
 * Processing", 7.5.3.
 */
export const TRANSITION = (ATTENUATION - 7.95) / 14.36 / (2 * REACH_SECONDS) / 2
/** Samples filtered at a time. */
const BLOCK = 3072

interface Filter {
  readonly reach: number
  readonly size: number
  readonly taps: Float32Array
}
/** Cutoffs that filters are kept of. */
const MOST = 2
const kept = latest<string, Filter>(MOST)

/**
 * Linear-phase low-pass by a Kaiser window.
 *
 * Source: J. F. Kaiser, "Nonrecursive digital filter design using the I0-sinh window function", ISCAS 1974.
 */
const filterFor = (rate: number, cutoff: number): Filter =>
  kept.of(`${rate} ${cutoff}`, () => makeFilter(rate, cutoff))

function makeFilter(rate: number, cutoff: number): Filter {
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
  return { reach, size, taps }
}

/** Both bands of a recording, made as they are read. */
export interface Bands {
  readonly low: Readable
  readonly high: Readable
  /** Where they part, Hz. */
  readonly cutoff: number
}

/** Blocks of the low band that are remembered: more than both bands' windows reach over at a time. */
const KEPT = 16

/**
 * The bands of a recording, no later and no earlier than it, which together are the recording.
 *
 * Blocks lie at fixed places of the recording, so that what is read of them does not depend on what else is.
 *
 * @param cutoff Hz; both are half as strong there
 */
export function bandsOf(source: Source, cutoff: number): Bands {
  const { sampleRate, channels } = source
  const { reach, size, taps } = filterFor(sampleRate, cutoff)
  const fft = realFft(size)
  const block = new Float32Array(size)
  const filtered = new Float32Array(size)
  type Block = readonly [low: Float32Array, high: Float32Array]
  const known = channels.map(() => latest<number, Block>(KEPT))
  const makeBlock = (c: number, k: number): Block => {
    copyRange(channels[c]!, k * BLOCK - reach, (k + 1) * BLOCK + reach, block.fill(0))
    fft.convolve(block, taps, filtered)
    const low = filtered.slice(2 * reach, 2 * reach + BLOCK)
    const high = new Float32Array(BLOCK)
    copyRange(channels[c]!, k * BLOCK, (k + 1) * BLOCK, high)
    for (let i = 0; i < BLOCK; i++) high[i]! -= low[i]!
    return [low, high]
  }
  const blockOf = (c: number, k: number): Block => known[c]!.of(k, () => makeBlock(c, k))
  const reader =
    (band: 0 | 1): Readable['read'] =>
    (c, from, to, out, at) => {
      for (let n = from; n < to;) {
        const k = Math.floor(n / BLOCK)
        const end = Math.min(to, (k + 1) * BLOCK)
        out.set(blockOf(c, k)[band].subarray(n - k * BLOCK, end - k * BLOCK), at + n - from)
        n = end
      }
    }
  const count = channels.length
  const { length } = channels[0]!
  const band = (b: 0 | 1): Readable => ({ sampleRate, count, length, read: reader(b) })
  return { low: band(0), high: band(1), cutoff }
}
