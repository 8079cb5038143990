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

/**
 * Raises a smoothed log spectrum, the real parts of `spectrum`, by `push` times what it lies below `log`, half + 1 values;
 * `out` receives it as it was. Returns the most that it lay below.
 */
export function raise(log: usize, spectrum: usize, out: usize, half: i32, push: f32): f32 {
  const zero = f32x4.splat(0)
  const by = f32x4.splat(push)
  // The last value lies where the first's imaginary part would.
  const last = load<f32>(spectrum, 4)
  const over = max<f32>(0, load<f32>(log + ((<usize>half) << 2)) - last)
  let away = zero
  for (let i = 0; i < half; i += 4) {
    const at = (<usize>i) << 2
    const x = spectrum + at + at
    const smooth = v128.shuffle<f32>(v128.load(x), v128.load(x, 16), 0, 2, 4, 6)
    const d = f32x4.max(zero, f32x4.sub(v128.load(log + at), smooth))
    away = f32x4.max(away, d)
    v128.store(out + at, smooth)
    const raised = f32x4.add(smooth, f32x4.mul(by, d))
    v128.store(x, v128.shuffle<f32>(raised, zero, 0, 4, 1, 5))
    v128.store(x, v128.shuffle<f32>(raised, zero, 2, 6, 3, 7), 16)
  }
  store<f32>(out + ((<usize>half) << 2), last)
  store<f32>(spectrum, last + push * over, 4)
  return max<f32>(
    over,
    max<f32>(
      max<f32>(f32x4.extract_lane(away, 0), f32x4.extract_lane(away, 1)),
      max<f32>(f32x4.extract_lane(away, 2), f32x4.extract_lane(away, 3)),
    ),
  )
}

/**
 * Four exponentials, of numbers from -87 to 88; relative error below 3e-7.
 * 2^n times the series of what is left, up to its sixth power; W. Cody & W. Waite, "Software Manual for the Elementary Functions", 1980.
 */
function exponentials(x: v128): v128 {
  const n = f32x4.nearest(f32x4.mul(x, f32x4.splat(1.4426950408889634)))
  const most = f32x4.sub(x, f32x4.mul(n, f32x4.splat(0.693359375)))
  const r = f32x4.add(most, f32x4.mul(n, f32x4.splat(2.1219444e-4)))
  let sum = f32x4.splat(1.0 / 720.0)
  sum = f32x4.add(f32x4.splat(1.0 / 120.0), f32x4.mul(sum, r))
  sum = f32x4.add(f32x4.splat(1.0 / 24.0), f32x4.mul(sum, r))
  sum = f32x4.add(f32x4.splat(1.0 / 6.0), f32x4.mul(sum, r))
  sum = f32x4.add(f32x4.splat(0.5), f32x4.mul(sum, r))
  sum = f32x4.add(f32x4.splat(1), f32x4.mul(sum, r))
  sum = f32x4.add(f32x4.splat(1), f32x4.mul(sum, r))
  const scale = i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(n), i32x4.splat(127)), 23)
  return f32x4.mul(sum, scale)
}

/**
 * Gains, twice each as a packed spectrum has them, that make a log envelope of half + 1 values at k what it is at
 * k * factor, the last one beyond its end; none more than `limit` either way. half is a multiple of four.
 */
export function warpGains(envelope: usize, factor: f64, limit: f32, half: i32, gains: usize): void {
  const most = f32x4.splat(limit)
  for (let i = 0; i < half; i += 4) {
    for (let k = i; k < i + 4; k++) {
      const place = <f64>k * factor
      const lower = min<i32>(half - 1, <i32>place)
      const at = envelope + ((<usize>lower) << 2)
      const a = load<f32>(at)
      store<f32>(gains + ((<usize>k) << 2), a + <f32>min<f64>(1, place - <f64>lower) * (load<f32>(at, 4) - a))
    }
  }
  // From the end on, as every gain takes twice the room.
  for (let i = half - 4; i >= 0; i -= 4) {
    const at = (<usize>i) << 2
    const wanted = f32x4.sub(v128.load(gains + at), v128.load(envelope + at))
    const g = exponentials(f32x4.max(f32x4.neg(most), f32x4.min(most, wanted)))
    v128.store(gains + at + at, v128.shuffle<f32>(g, g, 0, 0, 1, 1))
    v128.store(gains + at + at, v128.shuffle<f32>(g, g, 2, 2, 3, 3), 16)
  }
}
