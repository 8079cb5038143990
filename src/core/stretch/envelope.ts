// The spectral envelope of a frame, through the peaks of its partials.
import { realFft } from '../dsp/fft'

/** Envelope detail: half a period of a single line, within these, or the middle one where several sound, seconds. */
const DETAIL = { least: 0.001, usual: 0.0018, most: 0.006 } as const
/** The lowest partial is so high against the highest (30 dB, as a window's skirts lie lower), and so near a pitch that it is one's. */
const PARTIAL = { high: 0.03, below: 0.7, above: 1.5 } as const
/** Times the envelope is raised to the peaks it lies below, and how far beyond them in all rounds but the last. */
const ROUNDS = 6
const LAST = 2
const PUSH = 2
/** Near enough to all peaks, nepers (1 dB). */
const NEAR = 0.115

/** The lowest bin from one on at which a partial stands out; the last where none does. */
function lowestPartial(mags: Float32Array, from: number): number {
  let least = 0
  for (const m of mags) least = Math.max(least, PARTIAL.high * m)
  let k = Math.max(1, from)
  while (k + 1 < mags.length && (mags[k]! <= least || mags[k]! < mags[k + 1]!)) k++
  return k
}

/**
 * Log spectral envelope of a frame.
 *
 * @param mags magnitudes of its bins, size/2 + 1
 * @param hz pitch, 0 where there is none
 * @returns as many values, nepers
 */
export type Envelope = (mags: Float32Array, hz: number) => Float32Array

/**
 * Envelopes through the peaks of spectra: cepstral smoothing of a spectrum raised to the envelope, again and again, at first
 * by more than it lies below the peaks, which takes half as many rounds.
 *
 * Below the lowest partial nothing sounds, and nothing is known of the envelope. All of it would ripple beside a hole, so it
 * goes on there as it does above, but no higher than that partial.
 *
 * Source: A. Röbel & X. Rodet, "Efficient spectral envelope estimation and its application to pitch shifting and
 * envelope preservation", DAFx 2005 ("true envelope").
 *
 * @param size of the frames' transform, a power of two; @param rate samples per second
 */
export function envelopeMaker(size: number, rate: number): Envelope {
  const half = size / 2
  const fft = realFft(size)
  const [log, cepstrum, spectrum] = [0, 1, 2].map(() => new Float32Array(size)) as [
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  return (mags, hz) => {
    const pitch = (hz * size) / rate
    const lowest = lowestPartial(mags, Math.floor(PARTIAL.below * pitch))
    // Chords have a period too, of which their lowest note is a harmonic.
    const single = hz > 0 && lowest < PARTIAL.above * pitch
    const detail = single ? Math.min(DETAIL.most, Math.max(DETAIL.least, 0.5 / hz)) : DETAIL.usual
    const keep = Math.round(detail * rate)
    let floor = 1e-9
    for (const m of mags) floor = Math.max(floor, m * 1e-4)
    for (let k = 0; k <= half; k++) log[k] = Math.log(mags[k]! + floor)
    for (let k = 0; k < lowest; k++) log[k] = Math.min(log[lowest]!, log[Math.min(half, 2 * lowest - k)]!)
    // Spectra of real and even cepstra are real; the last bin lies where the first's imaginary part would.
    spectrum.fill(0)
    for (let k = 0; k < half; k++) spectrum[2 * k] = log[k]!
    spectrum[1] = log[half]!
    const out = new Float32Array(half + 1)
    for (let round = 0; round < ROUNDS; round++) {
      fft.inverseUnscaled(spectrum, cepstrum)
      cepstrum.fill(0, keep, size - keep + 1)
      for (let q = 0; q < keep; q++) cepstrum[q]! *= 1 / size
      for (let q = size - keep + 1; q < size; q++) cepstrum[q]! *= 1 / size
      fft.forward(cepstrum, spectrum)
      const push = round < ROUNDS - LAST ? PUSH : 1
      const last = spectrum[1]!
      const over = log[half]! - last
      let away = Math.max(0, over)
      for (let k = 0; k < half; k++) {
        const smooth = spectrum[2 * k]!
        const d = log[k]! - smooth
        out[k] = smooth
        if (d > away) away = d
        if (d > 0) spectrum[2 * k] = smooth + push * d
        spectrum[2 * k + 1] = 0
      }
      out[half] = last
      spectrum[1] = over > 0 ? last + push * over : last
      if (away < NEAR) break
    }
    return out
  }
}
