// One frame step of a phase vocoder with identity phase locking, with one set of decisions for all channels.

/** Packed spectra (see dsp/fft.ts), one a channel. */
type Spectra = readonly Float32Array[]

/** Rotates analysis spectra so that every partial goes on from where the last output frame left it. */
export interface PhaseLock {
  /**
   * @param now      analysis spectra at this frame; rotated in place into the output spectra
   * @param back     analysis spectra one output hop earlier in the recording
   * @param previous output spectra of the frame before
   */
  step(now: Spectra, back: Spectra, previous: Spectra): void
}

/**
 * Identity phase locking.
 *
 * Each spectral peak turns by the angle between the last output and the recording one hop back, both at the
 * peak's bin; all bins nearer to it than to other peaks turn with it. Peaks are those of the channels' summed
 * power and all channels turn alike, so the phase between channels survives.
 *
 * @param size transform size
 * Source: J. Laroche & M. Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech
 * and Audio Processing 7(3), 1999 (identity phase locking); M. Puckette, "Phase-locked vocoder", WASPAA 1995
 * (rotation by complex division instead of by angles).
 */
export function phaseLock(size: number): PhaseLock {
  const half = size / 2
  const power = new Float32Array(half + 1)
  const peaks = new Int32Array(half)
  return {
    step(now, back, previous) {
      power.fill(0)
      for (const x of now)
        for (let k = 1, j = 2; k < half; k++, j += 2) power[k]! += x[j]! * x[j]! + x[j + 1]! * x[j + 1]!
      const count = findPeaks(power, half, peaks)
      let start = 1
      for (let p = 0; p < count; p++) {
        const peak = peaks[p]!
        const end = p + 1 < count ? valley(power, peak, peaks[p + 1]!) : half
        let re = 0
        let im = 0
        const j = 2 * peak
        for (let c = 0; c < now.length; c++) {
          const y = previous[c]!
          const b = back[c]!
          re += y[j]! * b[j]! + y[j + 1]! * b[j + 1]!
          im += y[j + 1]! * b[j]! - y[j]! * b[j + 1]!
        }
        const norm = Math.sqrt(re * re + im * im)
        if (norm > 0) rotate(now, start, end, re / norm, im / norm)
        start = end
      }
    },
  }
}

/** Bins larger than two neighbours on either side; returns their number. */
function findPeaks(power: Float32Array, half: number, peaks: Int32Array): number {
  let count = 0
  for (let k = 1; k < half; k++) {
    const v = power[k]!
    if (v <= power[k - 1]! || v < power[k + 1]!) continue
    if ((k > 1 && v <= power[k - 2]!) || (k + 2 <= half && v < power[k + 2]!)) continue
    peaks[count++] = k
  }
  return count
}

/** The bin of least power between two peaks: the border of their regions of influence. */
function valley(power: Float32Array, from: number, to: number): number {
  let best = from + 1
  for (let k = from + 2; k < to; k++) if (power[k]! < power[best]!) best = k
  return best
}

function rotate(spectra: Spectra, start: number, end: number, re: number, im: number): void {
  for (const x of spectra)
    for (let k = start; k < end; k++) {
      const j = 2 * k
      const a = x[j]!
      const b = x[j + 1]!
      x[j] = a * re - b * im
      x[j + 1] = a * im + b * re
    }
}
