// An all-pole envelope through the harmonics of a voice. Linear prediction draws its resonances to the harmonics.
import { nextPowerOfTwo, realFft } from '../dsp/fft'

/** Points of the spectrum for every coefficient: between them it is as good as straight. */
const POINTS = 40
/** More would fit a note's few harmonics better and its tract worse. */
const ROUNDS = 14
/** Results that do not ring out are widened again, each time twice as much, so often in all. */
const TRIES = 4

/** Fits all-pole envelopes of up to some order. */
export interface AllPoleFitter {
  /**
   * Moves a predictor towards the one whose spectrum, seen at the harmonics only, is theirs.
   *
   * @param powers of harmonics 1 to `count`, above 0 somewhere; @param period samples
   * @param a where to begin, the first 1, and the result; zero beyond `order`
   * @param wider factor a sample that the result rings out sooner by, at most 1
   * @returns false, and `a` as it was, where the result would not be stable
   */
  fit(
    powers: Float64Array,
    count: number,
    period: number,
    a: Float64Array,
    order: number,
    wider: number,
  ): boolean
}

/** Lower triangle whose product with its transpose is the symmetric Toeplitz matrix of r; n by n, by rows. */
function factorize(r: Float64Array, n: number, out: Float64Array): void {
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let sum = r[i - j]!
      for (let k = 0; k < j; k++) sum -= out[i * n + k]! * out[j * n + k]!
      out[i * n + j] = i === j ? Math.sqrt(Math.max(sum, 1e-12 * r[0]!)) : sum / out[j * n + j]!
    }
}

/** Solves for x in place of b, with what `factorize` gives. */
function solve(lower: Float64Array, n: number, b: Float64Array): void {
  for (let i = 0; i < n; i++) {
    let sum = b[i]!
    for (let k = 0; k < i; k++) sum -= lower[i * n + k]! * b[k]!
    b[i] = sum / lower[i * n + i]!
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = b[i]!
    for (let k = i + 1; k < n; k++) sum -= lower[k * n + i]! * b[k]!
    b[i] = sum / lower[i * n + i]!
  }
}

/** True where 1 / A rings out: all reflection coefficients lie inside the unit circle. @param a a[0] = 1; is used up */
function ringsOut(a: Float64Array, order: number): boolean {
  for (let m = order; m > 0; m--) {
    const reflection = a[m]!
    if (!(Math.abs(reflection) < 1)) return false
    const share = 1 / (1 - reflection * reflection)
    for (let k = 1; k <= m >> 1; k++) {
      const [low, high] = [a[k]!, a[m - k]!]
      a[k] = (low - reflection * high) * share
      a[m - k] = (high - reflection * low) * share
    }
  }
  return true
}

/**
 * Opens a fitter.
 *
 * Source: A. El-Jaroudi & J. Makhoul, "Discrete all-pole modeling", IEEE Trans. Signal Processing 39(2), 1991 (the
 * Itakura-Saito distance at the harmonics, by its fixed-point iteration with a half step); the model's spectrum is read
 * from a fast transform here.
 *
 * @param most greatest order; @param floor noise that is added to the harmonics, share of their power
 */
export function allPoleFitter(most: number, floor: number): AllPoleFitter {
  const size = nextPowerOfTwo(POINTS * most)
  const fft = realFft(size)
  const [taps, spectrum] = [new Float32Array(size), new Float32Array(size)]
  const bare = (n: number): Float64Array => new Float64Array(n)
  const [r, h, next, tested] = [bare(most + 1), bare(most + 1), bare(most + 1), bare(most + 1)]
  const lower = bare((most + 1) ** 2)

  const correlate = (powers: Float64Array, count: number, period: number, order: number): void => {
    r.fill(0)
    for (let m = 1; m <= count; m++) {
      const twice = 2 * Math.cos((2 * Math.PI * m) / period)
      let [here, after] = [powers[m - 1]!, (powers[m - 1]! * twice) / 2]
      for (let k = 0; k <= order; k++) {
        r[k]! += here
        ;[here, after] = [after, twice * after - here]
      }
    }
    r[0]! *= 1 + floor
  }

  /** Spectrum of the predictor. */
  const transform = (a: Float64Array, order: number): void => {
    taps.fill(0)
    for (let k = 0; k <= order; k++) taps[k] = a[k]!
    fft.forward(taps, spectrum)
  }

  /** Makes h what the model's impulse response is, turned round, as the harmonics alone show it. */
  const respond = (a: Float64Array, count: number, period: number, order: number): void => {
    transform(a, order)
    taps.fill(0)
    for (let m = 1; m <= count; m++) {
      const place = (m * size) / period
      const k = Math.floor(place)
      const w = place - k
      const re = spectrum[2 * k]! + w * (spectrum[2 * k + 2]! - spectrum[2 * k]!)
      const im = spectrum[2 * k + 1]! + w * (spectrum[2 * k + 3]! - spectrum[2 * k + 1]!)
      const power = re * re + im * im + 1e-20
      taps[2 * k]! += ((1 - w) * re) / power
      taps[2 * k + 1]! += ((1 - w) * im) / power
      taps[2 * k + 2]! += (w * re) / power
      taps[2 * k + 3]! += (w * im) / power
    }
    fft.inverseUnscaled(taps, spectrum)
    for (let i = 0; i <= order; i++) h[i] = spectrum[i]! / 2
  }

  /** Gives the predictor the gain at which the harmonics have the model's power in the mean. */
  const level = (powers: Float64Array, count: number, period: number, order: number): void => {
    transform(next, order)
    let sum = 1e-30
    for (let m = 1; m <= count; m++) {
      const k = 2 * Math.round((m * size) / period)
      sum += powers[m - 1]! * (spectrum[k]! ** 2 + spectrum[k + 1]! ** 2)
    }
    const gain = Math.sqrt(count / sum)
    for (let k = 0; k <= order; k++) next[k]! *= gain
  }

  return {
    fit(powers, count, period, a, order, wider) {
      correlate(powers, count, period, order)
      if (!(r[0]! > 0)) return false
      factorize(r, order + 1, lower)
      next.set(a.subarray(0, order + 1))
      level(powers, count, period, order)
      for (let round = 0; round < ROUNDS; round++) {
        respond(next, count, period, order)
        solve(lower, order + 1, h)
        for (let k = 0; k <= order; k++) next[k] = 0.5 * (next[k]! + h[k]!)
      }
      // A resonance on a harmonic may come out as one that does not ring out at all.
      for (let tries = 0, by = wider; tries < TRIES; tries++, by *= by) {
        for (let k = 0, gain = 1 / next[0]!; k <= order; k++, gain *= by) h[k] = next[k]! * gain
        tested.set(h)
        if (!ringsOut(tested, order)) continue
        a.fill(0)
        a.set(h.subarray(0, order + 1))
        return true
      }
      return false
    },
  }
}
