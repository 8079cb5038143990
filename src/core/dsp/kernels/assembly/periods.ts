// The normalized difference function of YIN over one frame.
import { lanes } from './vectors'

/** Takes the mean of `span` samples off them (span is rounded up to four, what lies after must be zero and is set so again); returns the energy of the first `width`. */
export function center(x: usize, span: i32, width: i32): f32 {
  let sum = f32x4.splat(0)
  for (let i = 0; i < span; i += 4) sum = f32x4.add(sum, v128.load(x + ((<usize>i) << 2)))
  const mean = f32x4.splat(lanes(sum) / <f32>span)
  for (let i = 0; i < span; i += 4) {
    const at = x + ((<usize>i) << 2)
    v128.store(at, f32x4.sub(v128.load(at), mean))
  }
  for (let i = span; i < ((span + 3) & ~3); i++) store<f32>(x + ((<usize>i) << 2), 0)
  let power = f32x4.splat(0)
  let i = 0
  for (; i <= width - 4; i += 4) {
    const v = v128.load(x + ((<usize>i) << 2))
    power = f32x4.add(power, f32x4.mul(v, v))
  }
  let energy = lanes(power)
  for (; i < width; i++) {
    const v = load<f32>(x + ((<usize>i) << 2))
    energy += v * v
  }
  return energy
}

/**
 * d(t) for t from 1 to longest, divided by its cumulative mean; d(0) = 1.
 *
 * @param correlation of the first `width` samples with those from t on
 */
export function normalizedDifference(
  x: usize,
  correlation: usize,
  d: usize,
  width: i32,
  longest: i32,
  energy: f32,
): void {
  let moving: f64 = energy
  let sum: f64 = 0
  store<f32>(d, 1)
  for (let t = 1; t <= longest; t++) {
    const at = (<usize>t) << 2
    const left = <f64>load<f32>(x + at - 4)
    const right = <f64>load<f32>(x + at + ((<usize>(width - 1)) << 2))
    moving += right * right - left * left
    const difference = max<f64>(0, <f64>energy + moving - 2 * <f64>load<f32>(correlation + at))
    sum += difference
    store<f32>(d + at, <f32>(sum > 0 ? (difference * <f64>t) / sum : 1))
  }
}

/** First t in [from, to) where d is below `depth` and no greater than its neighbours; `to` when there is none. */
export function nextMinimum(d: usize, from: i32, to: i32, depth: f32): i32 {
  for (let t = from; t < to; t++) {
    const at = d + ((<usize>t) << 2)
    const v = load<f32>(at)
    if (v < depth && v <= load<f32>(at - 4) && v < load<f32>(at + 4)) return t
  }
  return to
}
