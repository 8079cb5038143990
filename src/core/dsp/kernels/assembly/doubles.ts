// Loops over vectors of 64-bit floats, two lanes at a time. Pointers are byte offsets; n counts doubles.

/** out = a * b. */
export function multiplyDoubles(a: usize, b: usize, out: usize, n: i32): void {
  let i = 0
  for (; i <= n - 2; i += 2) {
    const at = (<usize>i) << 3
    v128.store(out + at, f64x2.mul(v128.load(a + at), v128.load(b + at)))
  }
  if (i < n) {
    const at = (<usize>i) << 3
    store<f64>(out + at, load<f64>(a + at) * load<f64>(b + at))
  }
}

/** Sum of a * b. */
export function dotDoubles(a: usize, b: usize, n: i32): f64 {
  let p = f64x2.splat(0)
  let q = p
  let i = 0
  for (; i <= n - 4; i += 4) {
    const at = (<usize>i) << 3
    p = f64x2.add(p, f64x2.mul(v128.load(a + at), v128.load(b + at)))
    q = f64x2.add(q, f64x2.mul(v128.load(a + at, 16), v128.load(b + at, 16)))
  }
  p = f64x2.add(p, q)
  let sum = f64x2.extract_lane(p, 0) + f64x2.extract_lane(p, 1)
  for (; i < n; i++) {
    const at = (<usize>i) << 3
    sum += load<f64>(a + at) * load<f64>(b + at)
  }
  return sum
}

/** out += by * a. */
export function addDoubles(a: usize, by: f64, out: usize, n: i32): void {
  const times = f64x2.splat(by)
  let i = 0
  for (; i <= n - 2; i += 2) {
    const at = (<usize>i) << 3
    v128.store(out + at, f64x2.add(v128.load(out + at), f64x2.mul(times, v128.load(a + at))))
  }
  if (i < n) {
    const at = (<usize>i) << 3
    store<f64>(out + at, load<f64>(out + at) + by * load<f64>(a + at))
  }
}

/**
 * Cosines and sines of angles that grow by the same step, n of each, rounded up to four.
 *
 * @param c, s cosine and sine of the first; @param cs, ss those of the step
 */
export function phasors(cosines: usize, sines: usize, c: f64, s: f64, cs: f64, ss: f64, n: i32): void {
  const c2 = cs * cs - ss * ss
  const s2 = 2 * cs * ss
  const by = f64x2.splat(c2 * c2 - s2 * s2)
  const across = f64x2.splat(2 * c2 * s2)
  let re = f64x2.replace_lane(f64x2.splat(c), 1, c * cs - s * ss)
  let im = f64x2.replace_lane(f64x2.splat(s), 1, c * ss + s * cs)
  const two = f64x2.splat(c2)
  const twoAcross = f64x2.splat(s2)
  let nextRe = f64x2.sub(f64x2.mul(re, two), f64x2.mul(im, twoAcross))
  let nextIm = f64x2.add(f64x2.mul(re, twoAcross), f64x2.mul(im, two))
  for (let i = 0; i < n; i += 4) {
    const at = (<usize>i) << 3
    v128.store(cosines + at, re)
    v128.store(cosines + at, nextRe, 16)
    v128.store(sines + at, im)
    v128.store(sines + at, nextIm, 16)
    const turned = f64x2.sub(f64x2.mul(re, by), f64x2.mul(im, across))
    im = f64x2.add(f64x2.mul(re, across), f64x2.mul(im, by))
    re = turned
    const nextTurned = f64x2.sub(f64x2.mul(nextRe, by), f64x2.mul(nextIm, across))
    nextIm = f64x2.add(f64x2.mul(nextRe, across), f64x2.mul(nextIm, by))
    nextRe = nextTurned
  }
}
