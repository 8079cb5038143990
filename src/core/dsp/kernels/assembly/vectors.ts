// Loops over vectors of 32-bit floats, four lanes at a time. Pointers are byte offsets, 16-byte aligned; n counts floats.

/** out = a * b. */
export function multiply(a: usize, b: usize, out: usize, n: i32): void {
  let i = 0
  for (; i <= n - 4; i += 4) {
    const at = (<usize>i) << 2
    v128.store(out + at, f32x4.mul(v128.load(a + at), v128.load(b + at)))
  }
  for (; i < n; i++) {
    const at = (<usize>i) << 2
    store<f32>(out + at, load<f32>(a + at) * load<f32>(b + at))
  }
}

/** Sum of the four lanes. */
export function lanes(v: v128): f32 {
  return (
    f32x4.extract_lane(v, 0) +
    f32x4.extract_lane(v, 1) +
    (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3))
  )
}

/** Sum of max(0, a - b). */
export function rise(a: usize, b: usize, n: i32): f32 {
  const zero = f32x4.splat(0)
  let sum = zero
  let i = 0
  for (; i <= n - 4; i += 4) {
    const at = (<usize>i) << 2
    sum = f32x4.add(sum, f32x4.max(zero, f32x4.sub(v128.load(a + at), v128.load(b + at))))
  }
  let total = lanes(sum)
  for (; i < n; i++) {
    const at = (<usize>i) << 2
    total += max<f32>(0, load<f32>(a + at) - load<f32>(b + at))
  }
  return total
}

/** Adds to sums[k] the squared second differences of x from k size on, x[i] - 2 x[i + 1] + x[i + 2], `size` each. */
export function bends(x: usize, size: i32, sums: usize, count: i32): void {
  const two = f32x4.splat(2)
  for (let k = 0; k < count; k++) {
    let sum = f32x4.splat(0)
    let at = x + ((<usize>(k * size)) << 2)
    let i = 0
    for (; i <= size - 4; i += 4) {
      const mid = f32x4.mul(two, v128.load(at + 4))
      const d = f32x4.add(f32x4.sub(v128.load(at), mid), v128.load(at + 8))
      sum = f32x4.add(sum, f32x4.mul(d, d))
      at += 16
    }
    let total = lanes(sum)
    for (; i < size; i++) {
      const d = load<f32>(at) - 2 * load<f32>(at + 4) + load<f32>(at + 8)
      total += d * d
      at += 4
    }
    const out = sums + ((<usize>k) << 2)
    store<f32>(out, load<f32>(out) + total)
  }
}

/** out[i] = the greatest of x[i - 1], x[i], x[i + 1]; past either end counts what is there. */
export function widen(x: usize, out: usize, n: i32): void {
  if (n < 2) {
    if (n === 1) store<f32>(out, load<f32>(x))
    return
  }
  store<f32>(out, max(load<f32>(x), load<f32>(x + 4)))
  let i = 1
  for (; i <= n - 5; i += 4) {
    const at = x + ((<usize>i) << 2)
    const m = f32x4.max(v128.load(at - 4), f32x4.max(v128.load(at), v128.load(at + 4)))
    v128.store(out + ((<usize>i) << 2), m)
  }
  for (; i < n - 1; i++) {
    const at = x + ((<usize>i) << 2)
    store<f32>(out + ((<usize>i) << 2), max(load<f32>(at - 4), max(load<f32>(at), load<f32>(at + 4))))
  }
  const last = (<usize>(n - 1)) << 2
  store<f32>(out + last, max(load<f32>(x + last - 4), load<f32>(x + last)))
}

/**
 * ln(1 + gain * x) in place, x >= 0; within 2e-4.
 * The exponent is read off the binary float; the mantissa's logarithm is 2 (s + s^3 / 3 + s^5 / 5) with
 * s = (m - 1) / (m + 1) (Abramowitz & Stegun 4.1.27), m in [0.707, 1.414). n is rounded up to a multiple of four.
 */
export function logOnePlus(x: usize, gain: f32, n: i32): void {
  const one = f32x4.splat(1)
  const g = f32x4.splat(gain)
  const half = i32x4.splat(0x3f3504f3)
  const ln2 = f32x4.splat(0.6931471805599453)
  const third = f32x4.splat(1.0 / 3.0)
  const fifth = f32x4.splat(0.2)
  const two = f32x4.splat(2)
  for (let i = 0; i < n; i += 4) {
    const at = x + ((<usize>i) << 2)
    const v = f32x4.add(one, f32x4.mul(g, v128.load(at)))
    const exponent = i32x4.shr_s(i32x4.sub(v, half), 23)
    const m = i32x4.sub(v, i32x4.shl(exponent, 23))
    const s = f32x4.div(f32x4.sub(m, one), f32x4.add(m, one))
    const q = f32x4.mul(s, s)
    const series = f32x4.add(one, f32x4.mul(q, f32x4.add(third, f32x4.mul(q, fifth))))
    v128.store(
      at,
      f32x4.add(f32x4.mul(f32x4.convert_i32x4_s(exponent), ln2), f32x4.mul(f32x4.mul(two, s), series)),
    )
  }
}

/** Separates a signal's even and odd samples: n of each. */
export function deinterleave(x: usize, even: usize, odd: usize, n: i32): void {
  for (let i = 0; i < n; i += 4) {
    const a = v128.load(x + ((<usize>i) << 3))
    const b = v128.load(x + ((<usize>i) << 3), 16)
    v128.store(even + ((<usize>i) << 2), v128.shuffle<f32>(a, b, 0, 2, 4, 6))
    v128.store(odd + ((<usize>i) << 2), v128.shuffle<f32>(a, b, 1, 3, 5, 7))
  }
}

/** Half-band low-pass at every second sample: out[i] = odd[9 + i] / 2 + sum over k of taps[k] (even[9 + i - k] + even[10 + i + k]), k < 10. */
export function halfBand(even: usize, odd: usize, taps: usize, out: usize, n: i32): void {
  const half = f32x4.splat(0.5)
  for (let i = 0; i < n; i += 4) {
    const at = (<usize>i) << 2
    const c = even + at + 36
    let sum = f32x4.mul(half, v128.load(odd + at + 36))
    for (let k: usize = 0; k < 40; k += 4) {
      const tap = v128.load32_splat(taps + k)
      sum = f32x4.add(sum, f32x4.mul(tap, f32x4.add(v128.load(c - k), v128.load(c + 4 + k))))
    }
    v128.store(out + at, sum)
  }
}

/** Sum of squares. */
export function energy(x: usize, n: i32): f32 {
  let a = f32x4.splat(0)
  let b = a
  let i = 0
  for (; i <= n - 8; i += 8) {
    const p = v128.load(x + ((<usize>i) << 2))
    const q = v128.load(x + ((<usize>i) << 2), 16)
    a = f32x4.add(a, f32x4.mul(p, p))
    b = f32x4.add(b, f32x4.mul(q, q))
  }
  let sum = lanes(f32x4.add(a, b))
  for (; i < n; i++) {
    const v = load<f32>(x + ((<usize>i) << 2))
    sum += v * v
  }
  return sum
}

/** out = out + gain * x. n is rounded up to a multiple of four. */
export function accumulate(x: usize, gain: f32, out: usize, n: i32): void {
  const g = f32x4.splat(gain)
  for (let i = 0; i < n; i += 4) {
    const at = (<usize>i) << 2
    v128.store(out + at, f32x4.add(v128.load(out + at), f32x4.mul(g, v128.load(x + at))))
  }
}

/** Sum of a * b; neither needs to be aligned. */
export function dot(a: usize, b: usize, n: i32): f32 {
  let p = f32x4.splat(0)
  let q = p
  let i = 0
  for (; i <= n - 8; i += 8) {
    const at = (<usize>i) << 2
    p = f32x4.add(p, f32x4.mul(v128.load(a + at), v128.load(b + at)))
    q = f32x4.add(q, f32x4.mul(v128.load(a + at, 16), v128.load(b + at, 16)))
  }
  let sum = lanes(f32x4.add(p, q))
  for (; i < n; i++) {
    const at = (<usize>i) << 2
    sum += load<f32>(a + at) * load<f32>(b + at)
  }
  return sum
}

/**
 * Windowed-sinc interpolation: n outputs from `position` on, `step` apart, each `taps` (a multiple of eight) samples of x
 * weighed with a row of the table, between whose `phases` rows it interpolates. x begins taps / 2 - 1 samples before place 0.
 * Of two signals at once where `apart` is not 0: so many bytes after x lies the other, `outApart` after out its output.
 */
export function interpolate(
  x: usize,
  table: usize,
  phases: i32,
  taps: i32,
  position: f64,
  step: f64,
  out: usize,
  n: i32,
  apart: usize,
  outApart: usize,
): void {
  for (let i = 0; i < n; i++) {
    const place = position + <f64>i * step
    const whole = floor(place)
    const part = (place - whole) * <f64>phases
    const row = floor(part)
    const share = f32x4.splat(<f32>(part - row))
    let w = table + ((<usize>(<i32>row * taps)) << 2)
    const next = (<usize>taps) << 2
    let s = x + ((<usize>(<i32>whole)) << 2)
    const end = s + next
    let sum = f32x4.splat(0)
    let other = sum
    let second = sum
    let secondOther = sum
    for (; s < end; s += 32, w += 32) {
      const a = v128.load(w)
      const b = v128.load(w, 16)
      const p = f32x4.add(a, f32x4.mul(share, f32x4.sub(v128.load(w + next), a)))
      const q = f32x4.add(b, f32x4.mul(share, f32x4.sub(v128.load(w + next, 16), b)))
      sum = f32x4.add(sum, f32x4.mul(p, v128.load(s)))
      other = f32x4.add(other, f32x4.mul(q, v128.load(s, 16)))
      if (!apart) continue
      second = f32x4.add(second, f32x4.mul(p, v128.load(s + apart)))
      secondOther = f32x4.add(secondOther, f32x4.mul(q, v128.load(s + apart, 16)))
    }
    const at = out + ((<usize>i) << 2)
    store<f32>(at, lanes(f32x4.add(sum, other)))
    if (apart) store<f32>(at + outApart, lanes(f32x4.add(second, secondOther)))
  }
}

/** out[i] = sum over k below `count` of x[i + k] * taps[k]; n a multiple of sixteen, x does not need to be aligned. */
export function filter(x: usize, taps: usize, count: i32, out: usize, n: i32): void {
  const last = taps + ((<usize>count) << 2)
  for (let i = 0; i < n; i += 16) {
    let s = x + ((<usize>i) << 2)
    let a = f32x4.splat(0)
    let b = a
    let c = a
    let d = a
    for (let w = taps; w < last; w += 4, s += 4) {
      const tap = v128.load32_splat(w)
      a = f32x4.add(a, f32x4.mul(tap, v128.load(s)))
      b = f32x4.add(b, f32x4.mul(tap, v128.load(s, 16)))
      c = f32x4.add(c, f32x4.mul(tap, v128.load(s, 32)))
      d = f32x4.add(d, f32x4.mul(tap, v128.load(s, 48)))
    }
    const at = out + ((<usize>i) << 2)
    v128.store(at, a)
    v128.store(at, b, 16)
    v128.store(at, c, 32)
    v128.store(at, d, 48)
  }
}

/** out = out + a * b; n a multiple of four. */
export function addProduct(a: usize, b: usize, out: usize, n: i32): void {
  for (let i = 0; i < n; i += 4) {
    const at = (<usize>i) << 2
    v128.store(out + at, f32x4.add(v128.load(out + at), f32x4.mul(v128.load(a + at), v128.load(b + at))))
  }
}

/** Sums of `by` neighbours, in place; n of them are made. */
export function coarsen(x: usize, n: i32, by: i32): void {
  let from = x
  for (let i = 0; i < n; i++) {
    let sum: f32 = 0
    for (let k = 0; k < by; k++) {
      sum += load<f32>(from)
      from += 4
    }
    store<f32>(x + ((<usize>i) << 2), sum)
  }
}

/**
 * Adds to products[i] the product of `still` with `moving` from place i on, and to energies[i] the energy of `moving`
 * there, n samples each; returns the energy of `still`.
 */
export function slide(still: usize, moving: usize, n: i32, lags: i32, products: usize, energies: usize): f32 {
  let power: f64 = energy(moving, n)
  let m = moving
  for (let i: usize = 0; i < (<usize>lags) << 2; i += 4, m += 4) {
    store<f32>(products + i, load<f32>(products + i) + dot(still, m, n))
    store<f32>(energies + i, load<f32>(energies + i) + <f32>max<f64>(0, power))
    const left = <f64>load<f32>(m)
    const right = <f64>load<f32>(m + ((<usize>n) << 2))
    power += right * right - left * left
  }
  return energy(still, n)
}

/** out = x backwards; neither needs to be aligned. */
export function reverse(x: usize, out: usize, n: i32): void {
  let i = 0
  for (; i + 4 <= n; i += 4) {
    const v = v128.load(x + ((<usize>(n - 4 - i)) << 2))
    v128.store(out + ((<usize>i) << 2), v128.shuffle<f32>(v, v, 3, 2, 1, 0))
  }
  for (; i < n; i++) store<f32>(out + ((<usize>i) << 2), load<f32>(x + ((<usize>(n - 1 - i)) << 2)))
}

/** x = x (start + rise i), in place; n a multiple of four. */
export function ramp(x: usize, start: f32, rise: f32, n: i32): void {
  const rises = f32x4.splat(rise)
  const first = f32x4.splat(start)
  let places = f32x4(0, 1, 2, 3)
  const four = f32x4.splat(4)
  for (let i = 0; i < n; i += 4) {
    const at = x + ((<usize>i) << 2)
    v128.store(at, f32x4.mul(v128.load(at), f32x4.add(first, f32x4.mul(rises, places))))
    places = f32x4.add(places, four)
  }
}

/**
 * x = x / weight, in place; n a multiple of four. Weights below twice the least come to it smoothly, as
 * least + weight^2 / (4 least), so that nothing has a corner where they do.
 */
export function divide(x: usize, weight: usize, least: f32, n: i32): void {
  const floor = f32x4.splat(least)
  const small = f32x4.splat(2 * least)
  const share = f32x4.splat(0.25 / least)
  for (let i = 0; i < n; i += 4) {
    const at = (<usize>i) << 2
    const w = v128.load(weight + at)
    const soft = f32x4.add(floor, f32x4.mul(share, f32x4.mul(w, w)))
    v128.store(x + at, f32x4.div(v128.load(x + at), v128.bitselect(soft, w, f32x4.lt(w, small))))
  }
}

/** x = x times gains that lie on lines between gains[k] at samples k step; n and step multiples of four, a gain more than n / step, rounded up. */
export function scaleAlong(x: usize, gains: usize, step: i32, n: i32): void {
  const share: f32 = 1 / <f32>step
  for (let i = 0; i < n; i += step, gains += 4) {
    const first = load<f32>(gains)
    ramp(x + ((<usize>i) << 2), first, (load<f32>(gains, 4) - first) * share, min(step, n - i))
  }
}

/** The greatest magnitude; n is rounded up to a multiple of four. */
export function peak(x: usize, n: i32): f32 {
  let top = f32x4.splat(0)
  for (let i = 0; i < n; i += 4) top = f32x4.max(top, f32x4.abs(v128.load(x + ((<usize>i) << 2))))
  return max(
    max(f32x4.extract_lane(top, 0), f32x4.extract_lane(top, 1)),
    max(f32x4.extract_lane(top, 2), f32x4.extract_lane(top, 3)),
  )
}
