// Whether the partials of single notes lie on the harmonics of their pitch: those of stiff strings, bells and strings out of tune do not.
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { magnitudes } from '../dsp/magnitudes'
import { hann } from '../dsp/windows'
import type { Pitch } from './pitch/track'
import type { Source } from './source'

/** Window, at least so long, and the distance of windows, seconds. */
const WINDOW = 0.085
const EVERY = 0.2
/** For so long to either side of a window's middle the pitch stays within so many cents. */
const AROUND = 0.04
const STEADY = 60
/** So many of the first harmonics tune the pitch: peaks near them, by this share of the pitch, and no softer than the loudest by so many dB. */
const TUNING = 5
const NEAR = 0.12
const SOFT = 30
/** Partials are looked for below this, Hz, and so far below the loudest point, dB. */
const HIGHEST = 8000
const QUIETEST = 60
/** Clear partials stand so far above the middle of what lies around them, dB: noise seldom does. */
const CLEAR = 20
/** From this share of the pitch on a partial lies beside its harmonic. */
const BESIDE = 0.15

/** Counts of partials. */
export interface Partials {
  readonly clear: number
  /** Those of them that lie beside the harmonics. */
  readonly beside: number
}

/** How steady a pitch is around a frame: true when it hardly moves. */
function isSteady({ f0, hop }: Pitch, frame: number): boolean {
  const around = Math.round(AROUND / hop)
  let [least, most] = [Infinity, 0]
  for (let i = frame - around; i <= frame + around; i++) {
    const hz = f0[i] ?? 0
    least = Math.min(least, hz)
    most = Math.max(most, hz)
  }
  return least > 0 && 1200 * Math.log2(most / least) < STEADY
}

/** Index of the greatest value of a range. */
function highest(x: Float32Array, from: number, to: number): number {
  let best = from
  for (let k = from + 1; k < to; k++) if (x[k]! > x[best]!) best = k
  return best
}

/**
 * Opens a counter of the clear partials of a recording's steady notes: the highest point of the spectrum within half a
 * pitch of every harmonic, where it stands out.
 *
 * Of a piano string the partial h lies at h f0 sqrt(1 + B h²), so those of high order lie far from the harmonics
 * (H. Fletcher, E. D. Blackham & R. Stratton, "Quality of piano tones", JASA 34(6), 1962). Strings that ring on beside the
 * one that is heard, and notes out of tune with themselves, have such partials, too.
 *
 * @param source one channel; @param pitch of it
 * @returns counts between two times, seconds
 */
export function partialCounter(source: Source, pitch: Pitch): (from: number, to: number) => Partials {
  const { rate } = source
  const size = nextPowerOfTwo(WINDOW * rate)
  const padded = 2 * size
  const fft = realFft(padded)
  const window = hann(size)
  const [time, packed, level] = [
    new Float32Array(padded),
    new Float32Array(padded),
    new Float32Array(size + 1),
  ]
  const binHz = rate / padded
  const top = Math.min(size, Math.floor(HIGHEST / binHz))

  /** Levels of the window around a time, dB. */
  const listen = (seconds: number): void => {
    time.fill(0)
    source.copy(0, Math.round(seconds * rate) - size / 2, time.subarray(0, size))
    for (let i = 0; i < size; i++) time[i]! *= window[i]!
    fft.forward(time, packed)
    magnitudes(packed, level)
    for (let k = 0; k <= top; k++) level[k] = 20 * Math.log10(level[k]! + 1e-9)
  }
  /** Place of a peak between bins, by a parabola. */
  const placeOf = (k: number): number => {
    const [a, b, c] = [level[k - 1]!, level[k]!, level[k + 1]!]
    const bend = a - 2 * b + c
    return k + (bend < 0 ? (0.5 * (a - c)) / bend : 0)
  }
  /** The pitch as its first harmonics have it, bins. */
  const tuned = (first: number): number => {
    const peaks: { place: number; level: number }[] = []
    for (let h = 1; h <= TUNING && (h + NEAR) * first < top; h++) {
      const k = highest(level, Math.ceil((h - NEAR) * first), Math.floor((h + NEAR) * first) + 1)
      peaks.push({ place: placeOf(k) / h, level: level[k]! })
    }
    const loudest = Math.max(...peaks.map((p) => p.level))
    let [sum, weights] = [0, 0]
    for (const p of peaks) {
      if (p.level < loudest - SOFT) continue
      const weight = 10 ** ((p.level - loudest) / 20)
      sum += weight * p.place
      weights += weight
    }
    return weights > 0 ? sum / weights : first
  }

  return (from, to) => {
    let [clear, beside] = [0, 0]
    for (let t = from + EVERY / 2; t < to; t += EVERY) {
      const frame = Math.round(t / pitch.hop)
      if (!isSteady(pitch, frame)) continue
      listen(t)
      const first = tuned(pitch.f0[frame]! / binHz)
      const loudest = level[highest(level, 1, top)]!
      for (let h = 1; (h + 0.5) * first < top; h++) {
        const [low, high] = [Math.round((h - 0.5) * first), Math.round((h + 0.5) * first)]
        const k = highest(level, low, high)
        if (k === low || k === high - 1 || level[k]! < loudest - QUIETEST) continue
        const middle = level.slice(low, high).sort()[(high - low) >> 1]!
        if (level[k]! - middle < CLEAR) continue
        clear++
        if (Math.abs(placeOf(k) / first - h) > BESIDE) beside++
      }
    }
    return { clear, beside }
  }
}
