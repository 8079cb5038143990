// Linear prediction: what it is found from, its error, and the filter that undoes it. In double precision where errors would add up.
// Several results are made side by side, so that no sum waits for another.
import { dot, lanes } from './vectors'

/** out[k] += sum of x[i] y[i + k], i below n, for k below `lags`; each is what `dot` makes of it. */
export function correlate(x: usize, y: usize, n: i32, lags: i32, out: usize): void {
  let k = 0
  for (; k <= lags - 4; k += 4) {
    const at = (<usize>k) << 2
    fourLags(x, y + at, n, out + at)
  }
  for (; k < lags; k++) {
    const at = (<usize>k) << 2
    store<f32>(out + at, load<f32>(out + at) + dot(x, y + at, n))
  }
}

function fourLags(x: usize, y: usize, n: i32, out: usize): void {
  let p0 = f32x4.splat(0)
  let p1 = p0
  let p2 = p0
  let p3 = p0
  let q0 = p0
  let q1 = p0
  let q2 = p0
  let q3 = p0
  let i = 0
  for (; i <= n - 8; i += 8) {
    const a = x + ((<usize>i) << 2)
    const b = y + ((<usize>i) << 2)
    const now = v128.load(a)
    const next = v128.load(a, 16)
    p0 = f32x4.add(p0, f32x4.mul(now, v128.load(b)))
    p1 = f32x4.add(p1, f32x4.mul(now, v128.load(b, 4)))
    p2 = f32x4.add(p2, f32x4.mul(now, v128.load(b, 8)))
    p3 = f32x4.add(p3, f32x4.mul(now, v128.load(b, 12)))
    q0 = f32x4.add(q0, f32x4.mul(next, v128.load(b, 16)))
    q1 = f32x4.add(q1, f32x4.mul(next, v128.load(b, 20)))
    q2 = f32x4.add(q2, f32x4.mul(next, v128.load(b, 24)))
    q3 = f32x4.add(q3, f32x4.mul(next, v128.load(b, 28)))
  }
  let s0 = lanes(f32x4.add(p0, q0))
  let s1 = lanes(f32x4.add(p1, q1))
  let s2 = lanes(f32x4.add(p2, q2))
  let s3 = lanes(f32x4.add(p3, q3))
  for (; i < n; i++) {
    const v = load<f32>(x + ((<usize>i) << 2))
    const b = y + ((<usize>i) << 2)
    s0 += v * load<f32>(b)
    s1 += v * load<f32>(b, 4)
    s2 += v * load<f32>(b, 8)
    s3 += v * load<f32>(b, 12)
  }
  store<f32>(out, load<f32>(out) + s0)
  store<f32>(out, load<f32>(out, 4) + s1, 4)
  store<f32>(out, load<f32>(out, 8) + s2, 8)
  store<f32>(out, load<f32>(out, 12) + s3, 12)
}

/** Two floats as doubles. */
function pairAt(x: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(x))
}

/**
 * Prediction error: out[i] = sum over k of a[k] x[i - k], k from 0 to `order`, for i below n (rounded up to two).
 *
 * @param x floats, `order` more lie before it; @param a order + 1 doubles; @param out doubles
 */
export function predictionError(x: usize, a: usize, order: i32, out: usize, n: i32): void {
  let i = 0
  for (; i <= n - 8; i += 8) {
    let s0 = f64x2.splat(0)
    let s1 = s0
    let s2 = s0
    let s3 = s0
    let at = x + ((<usize>i) << 2)
    for (let k = 0; k <= order; k++, at -= 4) {
      const by = v128.load64_splat(a + ((<usize>k) << 3))
      s0 = f64x2.add(s0, f64x2.mul(by, pairAt(at)))
      s1 = f64x2.add(s1, f64x2.mul(by, pairAt(at + 8)))
      s2 = f64x2.add(s2, f64x2.mul(by, pairAt(at + 16)))
      s3 = f64x2.add(s3, f64x2.mul(by, pairAt(at + 24)))
    }
    const to = out + ((<usize>i) << 3)
    v128.store(to, s0)
    v128.store(to, s1, 16)
    v128.store(to, s2, 32)
    v128.store(to, s3, 48)
  }
  for (; i < n; i += 2) {
    let sum = f64x2.splat(0)
    let at = x + ((<usize>i) << 2)
    for (let k = 0; k <= order; k++, at -= 4)
      sum = f64x2.add(sum, f64x2.mul(v128.load64_splat(a + ((<usize>k) << 3)), pairAt(at)))
    v128.store(out + ((<usize>i) << 3), sum)
  }
}

/** x less what is foreseen of it, of which `known` was summed up before: the last four coefficients are left. */
function undone(x: usize, last: usize, known: v128): void {
  let sum = f64x2.extract_lane(known, 0) + f64x2.extract_lane(known, 1)
  sum += load<f64>(x - 32) * load<f64>(last)
  sum += load<f64>(x - 24) * load<f64>(last, 8)
  sum += load<f64>(x - 16) * load<f64>(last, 16)
  sum += load<f64>(x - 8) * load<f64>(last, 24)
  store<f64>(x, load<f64>(x) - sum)
}

/**
 * Undoes it in place: x[i] -= sum over k of a[k] x[i - k], k from 1 to `order` (even, four at least), for i below n.
 *
 * @param x doubles, `order` zeros before it; @param turned `order` doubles: a[order], … a[1]
 */
export function undoPrediction(x: usize, turned: usize, order: i32, n: i32): void {
  const reach = (<usize>order) << 3
  // What four samples have in common is that all but the last four of those before them are known.
  const known = reach - 32
  const last = turned + known
  let i = 0
  for (; i <= n - 4; i += 4) {
    const at = x + ((<usize>i) << 3)
    const from = at - reach
    let s0 = f64x2.splat(0)
    let s1 = s0
    let s2 = s0
    let s3 = s0
    for (let k: usize = 0; k < known; k += 16) {
      const by = v128.load(turned + k)
      s0 = f64x2.add(s0, f64x2.mul(by, v128.load(from + k)))
      s1 = f64x2.add(s1, f64x2.mul(by, v128.load(from + k, 8)))
      s2 = f64x2.add(s2, f64x2.mul(by, v128.load(from + k, 16)))
      s3 = f64x2.add(s3, f64x2.mul(by, v128.load(from + k, 24)))
    }
    undone(at, last, s0)
    undone(at + 8, last, s1)
    undone(at + 16, last, s2)
    undone(at + 24, last, s3)
  }
  for (; i < n; i++) {
    const at = x + ((<usize>i) << 3)
    let sum = f64x2.splat(0)
    for (let k: usize = 0; k < known; k += 16)
      sum = f64x2.add(sum, f64x2.mul(v128.load(at - reach + k), v128.load(turned + k)))
    undone(at, last, sum)
  }
}
