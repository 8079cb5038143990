// A pyramid of minima and maxima, so that a waveform draws in a few milliseconds at any zoom.

import { joined } from '../dsp/signal'

/** Samples under one entry of the finest level. */
export const PEAK_BLOCK = 64
/** Entries of one level under one entry of the next. */
export const PEAK_FACTOR = 4

/** One level: interleaved (min, max) for every block. */
export interface PeakLevel {
  /** Samples under one entry. */
  readonly block: number
  readonly values: Float32Array
}

/** The levels of one channel, finest first; `length` is the channel's length in samples. */
export interface Peaks {
  readonly length: number
  readonly levels: readonly PeakLevel[]
}

function coarser(level: PeakLevel): PeakLevel {
  const entries = level.values.length / 2
  const values = new Float32Array(2 * Math.ceil(entries / PEAK_FACTOR))
  for (let i = 0; i < values.length / 2; i++) {
    let lo = Infinity
    let hi = -Infinity
    for (let k = i * PEAK_FACTOR; k < Math.min(entries, (i + 1) * PEAK_FACTOR); k++) {
      lo = Math.min(lo, level.values[2 * k]!)
      hi = Math.max(hi, level.values[2 * k + 1]!)
    }
    values[2 * i] = lo
    values[2 * i + 1] = hi
  }
  return { block: level.block * PEAK_FACTOR, values }
}

/** Levels whose entries lie in one piece of a channel, and the samples that pieces begin at multiples of. */
const PIECE_LEVELS = 6
export const PEAK_PIECE = PEAK_BLOCK * PEAK_FACTOR ** (PIECE_LEVELS - 1)
/** No level is made above one of so many entries or fewer. */
const FEW = 128

/** The finer levels of a piece of a channel. @param x samples from a multiple of `PEAK_PIECE` on */
export function peaksOfPiece(x: Float32Array): Float32Array[] {
  const entries = Math.ceil(x.length / PEAK_BLOCK)
  const values = new Float32Array(2 * entries)
  for (let b = 0; b < entries; b++) {
    const end = Math.min(x.length, (b + 1) * PEAK_BLOCK)
    let lo = x[b * PEAK_BLOCK]!
    let hi = lo
    for (let i = b * PEAK_BLOCK + 1; i < end; i++) {
      const s = x[i]!
      if (s < lo) lo = s
      else if (s > hi) hi = s
    }
    values[2 * b] = lo
    values[2 * b + 1] = hi
  }
  const levels: PeakLevel[] = [{ block: PEAK_BLOCK, values }]
  while (levels.length < PIECE_LEVELS) levels.push(coarser(levels.at(-1)!))
  return levels.map((l) => l.values)
}

/**
 * The pyramid of a channel from those of its pieces.
 *
 * @param pieces in their order, all but the last as long as a multiple of `PEAK_PIECE`; @param length samples of all
 */
export function joinPeaks(pieces: readonly (readonly Float32Array[])[], length: number): Peaks {
  const enough = (levels: readonly PeakLevel[]): boolean =>
    (levels.at(-1)?.values.length ?? Infinity) <= 2 * FEW
  const levels: PeakLevel[] = []
  for (let k = 0; k < PIECE_LEVELS && !enough(levels); k++)
    levels.push({ block: PEAK_BLOCK * PEAK_FACTOR ** k, values: joined(pieces.map((p) => p[k]!)) })
  while (!enough(levels)) levels.push(coarser(levels.at(-1)!))
  return { length, levels }
}

/** Builds the pyramid of one channel. @param x samples */
export const buildPeaks = (x: Float32Array): Peaks => joinPeaks([peaksOfPiece(x)], x.length)

/**
 * Minimum and maximum over columns of equal width.
 *
 * @param peaks  the channel's pyramid
 * @param x      the channel's samples, read when a column is narrower than the finest block
 * @param from   first sample of the first column, may be fractional or outside
 * @param step   samples a column
 * @param out    receives (min, max) for each of `out.length / 2` columns; 0, 0 outside the signal
 */
export function readPeaks(
  peaks: Peaks,
  x: Float32Array | undefined,
  from: number,
  step: number,
  out: Float32Array,
): Float32Array {
  const fine = x !== undefined && step < PEAK_BLOCK * 2
  let level = peaks.levels[0]!
  for (const l of peaks.levels) if (l.block <= step) level = l
  const values = fine ? x : level.values
  const block = fine ? 1 : level.block
  const last = fine ? peaks.length : level.values.length / 2
  for (let c = 0; c < out.length / 2; c++) {
    const a = from + c * step
    const b = a + step
    let lo = 0
    let hi = 0
    if (b > 0 && a < peaks.length) {
      const first = Math.max(0, Math.floor(a / block))
      const end = Math.min(last, Math.max(first + 1, Math.ceil(b / block)))
      lo = Infinity
      hi = -Infinity
      for (let i = first; i < end; i++) {
        const low = fine ? values[i]! : values[2 * i]!
        const high = fine ? low : values[2 * i + 1]!
        if (low < lo) lo = low
        if (high > hi) hi = high
      }
      if (lo > hi) lo = hi = 0
    }
    out[2 * c] = lo
    out[2 * c + 1] = hi
  }
  return out
}
