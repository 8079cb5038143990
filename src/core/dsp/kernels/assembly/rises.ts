// Levels of a signal in blocks, after several numbers of first differences, and their running means.

/**
 * Adds the powers of blocks of two signals after no, one, two and five differences, in rows of `stride` doubles; those
 * of block b at place b + 1. Each difference takes `emphasis` of the sample before away; zeros lie before the first.
 *
 * @param left, right floats, `block` times `count` of each
 */
export function blockPowers(
  left: usize,
  right: usize,
  block: i32,
  count: i32,
  emphasis: f64,
  rows: usize,
  stride: i32,
): void {
  const e = f64x2.splat(emphasis)
  const row = (<usize>stride) << 3
  let b0 = f64x2.splat(0)
  let b1 = b0
  let b2 = b0
  let b3 = b0
  let b4 = b0
  for (let b = 0; b < count; b++) {
    let p0 = f64x2.splat(0)
    let p1 = p0
    let p2 = p0
    let p5 = p0
    for (let k = 0; k < block; k++, left += 4, right += 4) {
      const v = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left)), 1, <f64>load<f32>(right))
      const d1 = f64x2.sub(v, f64x2.mul(e, b0))
      const d2 = f64x2.sub(d1, f64x2.mul(e, b1))
      const d3 = f64x2.sub(d2, f64x2.mul(e, b2))
      const d4 = f64x2.sub(d3, f64x2.mul(e, b3))
      const d5 = f64x2.sub(d4, f64x2.mul(e, b4))
      b0 = v
      b1 = d1
      b2 = d2
      b3 = d3
      b4 = d4
      p0 = f64x2.add(p0, f64x2.mul(v, v))
      p1 = f64x2.add(p1, f64x2.mul(d1, d1))
      p2 = f64x2.add(p2, f64x2.mul(d2, d2))
      p5 = f64x2.add(p5, f64x2.mul(d5, d5))
    }
    const at = rows + ((<usize>(b + 1)) << 3)
    addBoth(at, p0)
    addBoth(at + row, p1)
    addBoth(at + 2 * row, p2)
    addBoth(at + 3 * row, p5)
  }
}

function addBoth(at: usize, pair: v128): void {
  store<f64>(at, load<f64>(at) + f64x2.extract_lane(pair, 0) + f64x2.extract_lane(pair, 1))
}

/** Turns `count` + 1 doubles, the first 0, into their running sums. */
export function runningSums(x: usize, count: i32): void {
  let sum: f64 = 0
  for (let i = 1; i <= count; i++) {
    const at = x + ((<usize>i) << 3)
    sum += load<f64>(at)
    store<f64>(at, sum)
  }
}

/**
 * Means over the blocks [k - span, k) that there are, at places k of [0, count + span), from `count` + 1 running sums;
 * 0 at place 0.
 */
export function slidingMeans(sums: usize, count: i32, span: i32, out: usize): void {
  const back = (<usize>span) << 3
  const last = load<f64>(sums + ((<usize>count) << 3))
  const share = 1 / <f64>span
  let at = sums
  store<f64>(out, 0)
  for (let k = 1; k < count + span; k++) {
    at += 8
    out += 8
    const high = k < count ? load<f64>(at) : last
    const low = k > span ? load<f64>(at - back) : 0
    const blocks = min(k, count) - max(0, k - span)
    const sum = high - low
    store<f64>(out, blocks === span ? sum * share : sum / <f64>blocks)
  }
}
