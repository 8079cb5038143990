// The spectral envelope of a frame, through the peaks of its partials.
import { realFft } from '../dsp/fft'
import type { Workspace } from '../dsp/kernels/kernels'

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

/** Values below the highest by more than this are as if they were that, as a factor: 80 dB; and what is silence. */
const FLOOR = 1e-4
const SILENCE = 1e-9

/** The lowest bin from one on at which a partial stands out; the last where none does. @param least magnitude of one */
function lowestPartial(mags: Float32Array, least: number, from: number): number {
  let k = Math.max(1, from)
  while (k + 1 < mags.length && (mags[k]! <= least || mags[k]! < mags[k + 1]!)) k++
  return k
}

/**
 * Log spectral envelope of a frame.
 *
 * @param hz pitch, 0 where there is none
 * @returns size/2 + 1 values, nepers above 80 dB below the highest bin; they are the maker's, until it is asked again
 */
export type Envelope = (hz: number) => Float32Array

/** Floats and arrays that a maker takes of its workspace. @param size of the frames' transform */
export const envelopeRoom = (size: number): readonly [floats: number, arrays: number] => [3 * size + 8, 4]

/**
 * Envelopes through the peaks of spectra: cepstral smoothing of a spectrum raised to the envelope, again and again, at first
 * by more than it lies below the peaks, which takes half as many rounds. Harmonics far from each other are not reached in so
 * many, but missed alike: what is warped has the shape only.
 *
 * Below the lowest partial nothing sounds, and nothing is known of the envelope. All of it would ripple beside a hole, so it
 * goes on there as it does above, but no higher than that partial.
 *
 * Source: A. Röbel & X. Rodet, "Efficient spectral envelope estimation and its application to pitch shifting and
 * envelope preservation", DAFx 2005 ("true envelope").
 *
 * @param size of the frames' transform, a power of two; @param rate samples per second
 * @param space with as much room as `envelopeRoom` tells; @param mags of the frames' bins, size/2 + 1, in it
 */
export function envelopeMaker(size: number, rate: number, space: Workspace, mags: Float32Array): Envelope {
  const half = size / 2
  const fft = realFft(size)
  const { run } = space
  const [log, out, cepstrum, spectrum] = [half + 1, half + 1, size, size].map((n) => space.floats(n)) as [
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  const raise = (push: number): number =>
    run.raise(log.byteOffset, spectrum.byteOffset, out.byteOffset, half, push)
  return (hz) => {
    const pitch = (hz * size) / rate
    const highest = run.peak(mags.byteOffset, half + 1)
    const lowest = lowestPartial(mags, PARTIAL.high * highest, Math.floor(PARTIAL.below * pitch))
    // Chords have a period too, of which their lowest note is a harmonic.
    const single = hz > 0 && lowest < PARTIAL.above * pitch
    const detail = single ? Math.min(DETAIL.most, Math.max(DETAIL.least, 0.5 / hz)) : DETAIL.usual
    const keep = Math.round(detail * rate)
    log.set(mags)
    run.logOnePlus(log.byteOffset, 1 / Math.max(SILENCE, FLOOR * highest), half + 1)
    for (let k = 0; k < lowest; k++) log[k] = Math.min(log[lowest]!, log[Math.min(half, 2 * lowest - k)]!)
    // Spectra of real and even cepstra are real.
    spectrum.fill(0)
    raise(1)
    for (let round = 0; round < ROUNDS; round++) {
      fft.inverseUnscaled(spectrum, cepstrum)
      cepstrum.fill(0, keep, size - keep + 1)
      for (let q = 0; q < keep; q++) cepstrum[q]! *= 1 / size
      for (let q = size - keep + 1; q < size; q++) cepstrum[q]! *= 1 / size
      fft.forward(cepstrum, spectrum)
      if (raise(round < ROUNDS - LAST ? PUSH : 1) < NEAR) break
    }
    return out
  }
}
