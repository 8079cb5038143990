// One frame step of a phase vocoder with identity phase locking, with one set of decisions for all channels.
import { powers } from './spectra'
import { lanes } from './vectors'

function isPeak(power: usize, half: i32, k: i32): boolean {
  const at = power + ((<usize>k) << 2)
  const v = load<f32>(at)
  if (v <= load<f32>(at - 4) || v < load<f32>(at + 4)) return false
  return (k < 2 || v > load<f32>(at - 8)) && (k + 2 > half || v >= load<f32>(at + 8))
}

/** Bins larger than two neighbours on either side; returns their number. */
function findPeaks(power: usize, half: i32, peaks: usize): i32 {
  let to = peaks
  let k = 1
  for (; k < half; k++) {
    if (k >= 4 && !(k & 3) && k + 6 <= half) {
      // Four at a time.
      const at = power + ((<usize>k) << 2)
      const v = v128.load(at)
      const left = v128.and(f32x4.gt(v, v128.load(at - 4)), f32x4.gt(v, v128.load(at - 8)))
      const right = v128.and(f32x4.ge(v, v128.load(at + 4)), f32x4.ge(v, v128.load(at + 8)))
      const found = i32x4.bitmask(v128.and(left, right))
      // Every bin is written, and stays if it is one: nobody could foresee a branch.
      store<i32>(to, k)
      to += (found & 1) << 2
      store<i32>(to, k + 1)
      to += (found & 2) << 1
      store<i32>(to, k + 2)
      to += found & 4
      store<i32>(to, k + 3)
      to += (found & 8) >> 1
      k += 3
    } else if (isPeak(power, half, k)) {
      store<i32>(to, k)
      to += 4
    }
  }
  return <i32>((to - peaks) >> 2)
}

/** The bin of least power between two peaks: the border of their regions of influence. */
function valley(power: usize, from: i32, to: i32): i32 {
  let best = from + 1
  // Floats that are not negative are ordered as their bits are, and nobody could foresee a branch.
  let least = load<i32>(power + ((<usize>best) << 2))
  for (let k = from + 2; k < to; k++) {
    const more = load<i32>(power + ((<usize>k) << 2)) - least
    const less = more >> 31
    least += more & less
    best += (k - best) & less
  }
  return best
}

/** Multiplies complex bins [start, end) by re + i im. */
export function rotate(x: usize, start: i32, end: i32, re: f32, im: f32): void {
  const real = f32x4.splat(re)
  const turned = f32x4(-im, im, -im, im)
  let k = start
  for (; k <= end - 2; k += 2) {
    const at = x + ((<usize>k) << 3)
    const v = v128.load(at)
    const swapped = v128.shuffle<f32>(v, v, 1, 0, 3, 2)
    v128.store(at, f32x4.add(f32x4.mul(v, real), f32x4.mul(swapped, turned)))
  }
  if (k < end) {
    const at = x + ((<usize>k) << 3)
    const a = load<f32>(at)
    const b = load<f32>(at, 4)
    store<f32>(at, a * re - b * im)
    store<f32>(at, a * im + b * re, 4)
  }
}

/**
 * Finds by how much every partial of the spectra `now` must turn to go on from where the last output frame left it.
 *
 * Each peak of the channels' summed power turns by the angle between the last output and the recording one output hop
 * back, both at the peak's bin; all bins nearer to it than to other peaks turn with it, in all channels alike.
 *
 * @param now, back, previous packed spectra of all channels, one after the other, half complex numbers each
 * @param power room for half + 1 floats and a vector; filled with the summed powers
 * @param peaks, ends filled with the peaks' bins and the bins after those that turn with them; room for half integers
 * @param turns filled with one complex number of modulus 1 for each peak; room for half of them
 * @returns number of peaks
 * Sources: J. Laroche & M. Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech and
 * Audio Processing 7(3), 1999 (identity phase locking); M. Puckette, "Phase-locked vocoder", WASPAA 1995 (rotation by
 * complex division instead of by angles).
 */
export function findTurns(
  now: usize,
  back: usize,
  previous: usize,
  channels: i32,
  half: i32,
  power: usize,
  peaks: usize,
  ends: usize,
  turns: usize,
): i32 {
  const stride = (<usize>half) << 3
  const all = stride * <usize>channels
  for (let i = 0; i < half; i += 4) {
    let sum = f32x4.splat(0)
    for (let c: usize = 0; c < all; c += stride) sum = f32x4.add(sum, powers(now + c + ((<usize>i) << 3)))
    v128.store(power + ((<usize>i) << 2), sum)
  }
  let still: f32 = 0
  for (let c: usize = 0; c < all; c += stride) still += load<f32>(now + c) * load<f32>(now + c)
  store<f32>(power, 0)
  store<f32>(power + ((<usize>half) << 2), 0)
  const count = findPeaks(power, half, peaks)
  for (let p = 0; p < count; p++) {
    const at = (<usize>p) << 2
    const peak = load<i32>(peaks + at)
    const end = p + 1 < count ? valley(power, peak, load<i32>(peaks + at, 4)) : half
    store<i32>(ends + at, end)
    let re: f64 = 0
    let im: f64 = 0
    // The side of a constant offset, whose power at 0 Hz is four times its, turns as little as that.
    if (peak > 1 || still <= 2 * load<f32>(power + 4)) {
      const bin = (<usize>peak) << 3
      for (let c: usize = 0; c < all; c += stride) {
        const yr = <f64>load<f32>(previous + c + bin)
        const yi = <f64>load<f32>(previous + c + bin, 4)
        const br = <f64>load<f32>(back + c + bin)
        const bi = <f64>load<f32>(back + c + bin, 4)
        re += yr * br + yi * bi
        im += yi * br - yr * bi
      }
    }
    const norm = Math.sqrt(re * re + im * im)
    store<f32>(turns + (at << 1), norm > 0 ? <f32>(re / norm) : 1)
    store<f32>(turns + (at << 1), norm > 0 ? <f32>(im / norm) : 0, 4)
  }
  return count
}

/** Turns the spectra `now` in place by what `findTurns` found. */
export function turnBins(now: usize, channels: i32, half: i32, ends: usize, turns: usize, count: i32): void {
  const stride = (<usize>half) << 3
  const all = stride * <usize>channels
  let start = 1
  for (let p = 0; p < count; p++) {
    const at = (<usize>p) << 2
    const end = load<i32>(ends + at)
    const re = load<f32>(turns + (at << 1))
    const im = load<f32>(turns + (at << 1), 4)
    if (re !== 1 || im !== 0) for (let c: usize = 0; c < all; c += stride) rotate(now + c, start, end, re, im)
    start = end
  }
}

/** Sum of the squares of complex bins [start, end). */
function binsPower(x: usize, start: i32, end: i32): f64 {
  let sum = f32x4.splat(0)
  let k = start
  for (; k <= end - 2; k += 2) {
    const v = v128.load(x + ((<usize>k) << 3))
    sum = f32x4.add(sum, f32x4.mul(v, v))
  }
  let total = <f64>lanes(sum)
  if (k < end) {
    const at = x + ((<usize>k) << 3)
    const re = <f64>load<f32>(at)
    const im = <f64>load<f32>(at, 4)
    total += re * re + im * im
  }
  return total
}

/**
 * Compares the parts of two spectra.
 *
 * @param a, b packed spectra of all channels, one after the other, half complex numbers each
 * @param peaks, ends, count of the parts, as `findTurns` finds them
 * @param out six floats for each part: its power in a and in b; of its peak's bin, the power in a and in b and the sum of
 * conjugate(a) b
 */
export function compareParts(
  a: usize,
  b: usize,
  channels: i32,
  half: i32,
  peaks: usize,
  ends: usize,
  count: i32,
  out: usize,
): void {
  const stride = (<usize>half) << 3
  const all = stride * <usize>channels
  let start = 1
  for (let p = 0; p < count; p++) {
    const end = load<i32>(ends + ((<usize>p) << 2))
    const bin = (<usize>load<i32>(peaks + ((<usize>p) << 2))) << 3
    let x: f64 = 0
    let y: f64 = 0
    let own: f64 = 0
    let other: f64 = 0
    let re: f64 = 0
    let im: f64 = 0
    for (let c: usize = 0; c < all; c += stride) {
      x += binsPower(a + c, start, end)
      y += binsPower(b + c, start, end)
      const ar = <f64>load<f32>(a + c + bin)
      const ai = <f64>load<f32>(a + c + bin, 4)
      const br = <f64>load<f32>(b + c + bin)
      const bi = <f64>load<f32>(b + c + bin, 4)
      own += ar * ar + ai * ai
      other += br * br + bi * bi
      re += ar * br + ai * bi
      im += ar * bi - ai * br
    }
    store<f32>(out, <f32>x)
    store<f32>(out, <f32>y, 4)
    store<f32>(out, <f32>own, 8)
    store<f32>(out, <f32>other, 12)
    store<f32>(out, <f32>re, 16)
    store<f32>(out, <f32>im, 20)
    out += 24
    start = end
  }
}
