// Linear prediction: what it is found from, its error, and the filter that undoes it. In double precision where errors would add up.
import { dot } from './vectors'

/** out[k] += sum of x[i] y[i + k], i below n, for k below `lags`. */
export function correlate(x: usize, y: usize, n: i32, lags: i32, out: usize): void {
  for (let k = 0; k < lags; k++) {
    const other = y + ((<usize>k) << 2)
    const at = out + ((<usize>k) << 2)
    store<f32>(at, load<f32>(at) + dot(x, other, n))
  }
}

/**
 * Prediction error: out[i] = sum over k of a[k] x[i - k], k from 0 to `order`, for i below n (rounded up to two).
 *
 * @param x floats, `order` more lie before it; @param a order + 1 doubles; @param out doubles
 */
export function predictionError(x: usize, a: usize, order: i32, out: usize, n: i32): void {
  for (let i = 0; i < n; i += 2) {
    let sum = f64x2.splat(0)
    let at = x + ((<usize>i) << 2)
    for (let k = 0; k <= order; k++, at -= 4) {
      const pair = f64x2.promote_low_f32x4(v128.load64_zero(at))
      sum = f64x2.add(sum, f64x2.mul(v128.load64_splat(a + ((<usize>k) << 3)), pair))
    }
    v128.store(out + ((<usize>i) << 3), sum)
  }
}

/**
 * Undoes it in place: x[i] -= sum over k of a[k] x[i - k], k from 1 to `order` (even), for i below n.
 *
 * @param x doubles, `order` zeros before it; @param turned `order` doubles: a[order], … a[1]
 */
export function undoPrediction(x: usize, turned: usize, order: i32, n: i32): void {
  const reach = (<usize>order) << 3
  for (let i = 0; i < n; i++) {
    const at = x + ((<usize>i) << 3)
    const from = at - reach
    let sum = f64x2.splat(0)
    for (let k: usize = 0; k < reach; k += 16)
      sum = f64x2.add(sum, f64x2.mul(v128.load(from + k), v128.load(turned + k)))
    store<f64>(at, load<f64>(at) - f64x2.extract_lane(sum, 0) - f64x2.extract_lane(sum, 1))
  }
}
