// Loops over packed spectra: [Re 0, Re N/2, Re 1, Im 1, …], half = N/2 complex numbers (the first stands for two real ones).
import { lanes } from './vectors'

/** Powers of four packed bins. */
export function powers(at: usize): v128 {
  const p = v128.load(at)
  const q = v128.load(at, 16)
  const a = f32x4.mul(p, p)
  const b = f32x4.mul(q, q)
  return f32x4.add(v128.shuffle<f32>(a, b, 0, 2, 4, 6), v128.shuffle<f32>(a, b, 1, 3, 5, 7))
}

/** Adds the powers of a packed spectrum to half + 1 sums. */
export function addPowers(spectrum: usize, sums: usize, half: i32): void {
  const dc = load<f32>(sums)
  for (let i = 0; i < half; i += 4) {
    const at = sums + ((<usize>i) << 2)
    v128.store(at, f32x4.add(v128.load(at), powers(spectrum + ((<usize>i) << 3))))
  }
  // The first complex number holds the two real ends.
  const low = load<f32>(spectrum)
  const high = load<f32>(spectrum, 4)
  const top = sums + ((<usize>half) << 2)
  store<f32>(sums, dc + low * low)
  store<f32>(top, load<f32>(top) + high * high)
}

/** x = sqrt(gain * x), n of them, n rounded up to a multiple of four; returns the sum of gain * x. */
export function roots(x: usize, gain: f32, n: i32): f32 {
  const g = f32x4.splat(gain)
  let sum = f32x4.splat(0)
  for (let i = 0; i < n; i += 4) {
    const at = x + ((<usize>i) << 2)
    const p = f32x4.mul(g, v128.load(at))
    sum = f32x4.add(sum, p)
    v128.store(at, f32x4.sqrt(p))
  }
  return lanes(sum)
}

/** Weighted sums of neighbouring magnitudes: band b weighs those from first[b] with weights[start[b] .. start[b + 1]). */
export function bands(
  first: usize,
  start: usize,
  weights: usize,
  count: i32,
  magnitudes: usize,
  out: usize,
): void {
  let from = load<i32>(start)
  for (let b: usize = 0; b < (<usize>count) << 2; b += 4) {
    const to = load<i32>(start + b, 4)
    let m = magnitudes + ((<usize>load<i32>(first + b)) << 2)
    let w = weights + ((<usize>from) << 2)
    const end = weights + ((<usize>to) << 2)
    let many = f32x4.splat(0)
    for (; w + 16 <= end; w += 16, m += 16) many = f32x4.add(many, f32x4.mul(v128.load(w), v128.load(m)))
    let sum = lanes(many)
    for (; w < end; w += 4, m += 4) sum += load<f32>(w) * load<f32>(m)
    store<f32>(out + b, sum)
    from = to
  }
}

/**
 * Rectified complex-domain novelty over the first `bins` bins (a multiple of four; the first is left out): the summed
 * distance of a spectrum from what steady partials would have made of the two before it, over its summed magnitude.
 */
export function complexNovelty(now: usize, one: usize, two: usize, bins: i32): f32 {
  const zero = f32x4.splat(0)
  const tiny = f32x4.splat(1e-12)
  let distance = zero
  let total = zero
  for (let i = 0; i < bins; i += 4) {
    const at = (<usize>i) << 3
    const x0 = v128.load(now + at)
    const x1 = v128.load(now + at, 16)
    const a0 = v128.load(one + at)
    const a1 = v128.load(one + at, 16)
    const b0 = v128.load(two + at)
    const b1 = v128.load(two + at, 16)
    const xr = v128.shuffle<f32>(x0, x1, 0, 2, 4, 6)
    const xi = v128.shuffle<f32>(x0, x1, 1, 3, 5, 7)
    const ar = v128.shuffle<f32>(a0, a1, 0, 2, 4, 6)
    const ai = v128.shuffle<f32>(a0, a1, 1, 3, 5, 7)
    const br = v128.shuffle<f32>(b0, b1, 0, 2, 4, 6)
    const bi = v128.shuffle<f32>(b0, b1, 1, 3, 5, 7)
    const power = f32x4.add(f32x4.mul(xr, xr), f32x4.mul(xi, xi))
    const before = f32x4.add(f32x4.mul(ar, ar), f32x4.mul(ai, ai))
    let magnitude = f32x4.sqrt(power)
    // Predicted: a^2 conj(b) / (|a| |b|), the phase advanced as it did last time.
    const sr = f32x4.sub(f32x4.mul(ar, ar), f32x4.mul(ai, ai))
    const product = f32x4.mul(ar, ai)
    const si = f32x4.add(product, product)
    const norm = f32x4.add(
      f32x4.sqrt(f32x4.mul(before, f32x4.add(f32x4.mul(br, br), f32x4.mul(bi, bi)))),
      tiny,
    )
    const dr = f32x4.sub(xr, f32x4.div(f32x4.add(f32x4.mul(sr, br), f32x4.mul(si, bi)), norm))
    const di = f32x4.sub(xi, f32x4.div(f32x4.sub(f32x4.mul(si, br), f32x4.mul(sr, bi)), norm))
    let far = f32x4.sqrt(f32x4.add(f32x4.mul(dr, dr), f32x4.mul(di, di)))
    far = v128.and(far, f32x4.gt(power, before))
    if (i === 0) {
      far = f32x4.replace_lane(far, 0, 0)
      magnitude = f32x4.replace_lane(magnitude, 0, 0)
    }
    distance = f32x4.add(distance, far)
    total = f32x4.add(total, magnitude)
  }
  return lanes(distance) / (lanes(total) + 1e-9)
}
