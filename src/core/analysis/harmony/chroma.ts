// Harmony over time: spectral peaks gathered into the twelve pitch classes, and the tuning they agree on.
import { realFft } from '../../dsp/fft'
import { workspace } from '../../dsp/kernels/kernels'
import { meanMagnitudes } from '../../dsp/magnitudes'
import { hann } from '../../dsp/windows'
import type { Progress } from '../progress'
import type { Source } from '../source'

/** Chroma frames, flat: frame f has 12 values from f * 12 on, C first. */
export interface Chroma {
  /** Seconds between frames; frame f is centred at f * hop. */
  readonly hop: number
  readonly frames: number
  readonly values: Float32Array
  /** The same of the bass alone (below 200 Hz). */
  readonly bass: Float32Array
  /** Cents from A4 = 440 Hz that the partials agree on, -50 to 50, and how far they agree, 0-1. */
  readonly tuning: { readonly cents: number; readonly confidence: number }
}

const WINDOW_SECONDS = 0.18
const HOP_SECONDS = 0.05
const LOW = 50
const HIGH = 2100
const BASS_TOP = 200

/** Spectral peaks of all frames in flat memory: hours of audio have millions. */
class Peaks {
  private data = new Float32Array(3 << 14)
  count = 0
  add(frame: number, midi: number, weight: number): void {
    if (3 * (this.count + 1) > this.data.length) {
      const more = new Float32Array(2 * this.data.length)
      more.set(this.data)
      this.data = more
    }
    const at = 3 * this.count++
    this.data[at] = frame
    this.data[at + 1] = midi
    this.data[at + 2] = weight
  }
  frame = (i: number): number => this.data[3 * i]!
  midi = (i: number): number => this.data[3 * i + 1]!
  weight = (i: number): number => this.data[3 * i + 2]!
}

function greatest(x: Float32Array, from: number, to: number): number {
  let top = 0
  for (let k = from; k <= to; k++) if (x[k]! > top) top = x[k]!
  return top
}

/** Least share of the greatest that is looked at. */
const LEAST = 0.03

/** Adds the peaks of bins [from, to]. @param width of a bin, Hz; @param loud 0-1, how much the frame counts */
function addPeaks(
  x: Float32Array,
  from: number,
  to: number,
  top: number,
  frame: number,
  width: number,
  loud: number,
  peaks: Peaks,
): void {
  const least = LEAST * top
  for (let k = from; k <= to; k++) {
    const m = x[k]!
    if (m < least || m < x[k - 1]! || m <= x[k + 1]!) continue
    const a = Math.log(x[k - 1]! + 1e-9)
    const b = Math.log(m)
    const c = Math.log(x[k + 1]! + 1e-9)
    const shift = (0.5 * (a - c)) / (a - 2 * b + c - 1e-9)
    peaks.add(frame, 69 + 12 * Math.log2(((k + shift) * width) / 440), Math.sqrt(m / top) * loud)
  }
}

/** Sum of the peaks as arrows that point where they lie between semitones, and their weights together. */
function agreement(peaks: Peaks): { readonly re: number; readonly im: number; readonly total: number } {
  let re = 0
  let im = 0
  let total = 1e-9
  for (let i = 0; i < peaks.count; i++) {
    const turn = 2 * Math.PI * peaks.midi(i)
    const weight = peaks.weight(i)
    re += weight * Math.cos(turn)
    im += weight * Math.sin(turn)
    total += weight
  }
  return { re, im, total }
}

/**
 * Chroma of one channel.
 *
 * Peaks of the spectrum are placed by parabolic interpolation; their tuning is the circular mean of their distance
 * from the semitones.
 * Sources: E. Gómez, "Tonal description of polyphonic audio for music content processing", INFORMS JoC 18(3), 2006
 * (spectral peaks into pitch classes); K. Dressler & S. Streich, "Tuning frequency estimation using circular
 * statistics", ISMIR 2007.
 */
export function chroma(source: Source, progress?: Progress): Chroma {
  const { rate, length } = source
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * rate))
  const hop = Math.max(1, Math.round(HOP_SECONDS * rate))
  const fft = realFft(size)
  const { run, floats } = workspace(4 * size)
  const window = floats(size)
  window.set(hann(size))
  const x = floats(size)
  const spectrum = floats(size)
  const from = Math.max(2, Math.floor((LOW * size) / rate))
  const to = Math.min(size / 2 - 2, Math.ceil((HIGH * size) / rate))
  const magnitude = floats(size / 2 + 1)
  const frames = Math.ceil(length / hop) + 1
  const peaks = new Peaks()
  for (let f = 0; f < frames; f++) {
    if (progress && f % 32 === 0) progress(f / frames)
    source.copy(0, f * hop - size / 2, x)
    run.multiply(x.byteOffset, window.byteOffset, x.byteOffset, size)
    fft.forward(x, spectrum)
    meanMagnitudes(run, [spectrum], magnitude)
    const top = greatest(magnitude, from - 1, to + 1)
    if (top < 1e-4 * size) continue
    addPeaks(magnitude, from, to, top, f, rate / size, Math.min(1, top / (0.02 * size)), peaks)
  }
  const { re, im, total } = agreement(peaks)
  const offset = Math.atan2(im, re) / (2 * Math.PI)
  const values = new Float32Array(frames * 12)
  const bass = new Float32Array(frames * 12)
  const bassMidi = 69 + 12 * Math.log2(BASS_TOP / 440)
  for (let i = 0; i < peaks.count; i++) {
    const midi = peaks.midi(i)
    const near = Math.round(midi - offset)
    const w = peaks.weight(i) * Math.cos(Math.PI * (midi - offset - near)) ** 2
    const place = peaks.frame(i) * 12 + (((near % 12) + 12) % 12)
    // Higher partials say less of the note they belong to.
    values[place]! += w * (midi < 84 ? 1 : 0.5)
    if (midi < bassMidi) bass[place]! += w
  }
  const confidence = Math.hypot(re, im) / total
  return { hop: hop / rate, frames, values, bass, tuning: { cents: 100 * offset, confidence } }
}

/** Sum of the frames in a range of time, scaled to unit length. @param from, to seconds */
export function chromaBetween(c: Chroma, values: Float32Array, from: number, to: number): Float64Array {
  const out = new Float64Array(12)
  const first = Math.max(0, Math.round(from / c.hop))
  const last = Math.min(c.frames - 1, Math.max(first, Math.round(to / c.hop)))
  for (let f = first; f <= last; f++) for (let k = 0; k < 12; k++) out[k]! += values[f * 12 + k]!
  let norm = 1e-9
  for (let k = 0; k < 12; k++) norm += out[k]! ** 2
  norm = Math.sqrt(norm)
  for (let k = 0; k < 12; k++) out[k]! /= norm
  return out
}
