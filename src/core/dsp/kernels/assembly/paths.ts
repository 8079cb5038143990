// Searches for the best path, by dynamic programming: of beats over places and intervals, of held pitches over frames.

/** No interval before this one: the path begins here. */
const BEGINS: u8 = 255

/**
 * Fills score[k * n + t] and back[k * n + t] for places t below n (a multiple of four) and intervals k below count,
 * where k stands for shortest + k steps: the best over j within `spread` of k of score[j] at the place before, less
 * change[k * count + j], with reward[t] - away[k] added. shortest is at least four.
 */
export function beatPath(
  score: usize,
  back: usize,
  reward: usize,
  change: usize,
  away: usize,
  n: i32,
  count: i32,
  shortest: i32,
  spread: i32,
): void {
  const row = (<usize>n) << 2
  for (let t = 0; t < n; t += 4) {
    const now = v128.load(reward + ((<usize>t) << 2))
    for (let k = 0; k < count; k++) {
      const before = t - (k + shortest)
      const here = <usize>k * row + ((<usize>t) << 2)
      if (before < -3) {
        v128.store(score + here, now)
        store<u32>(back + <usize>k * n + t, 0xffffffff)
        continue
      }
      const lo = max(0, k - spread)
      const hi = min(count - 1, k + spread)
      let best = f32x4.splat(-Infinity)
      let from = i32x4.splat(k)
      // The first places before the recording lie in the row before (or before the array: one vector is free there).
      let at = score + ((<usize>(lo * n + before)) << 2)
      let cost = change + ((<usize>(k * count + lo)) << 2)
      for (let j = lo; j <= hi; j++) {
        const v = f32x4.sub(v128.load(at), v128.load32_splat(cost))
        const better = f32x4.gt(v, best)
        best = v128.bitselect(v, best, better)
        from = v128.bitselect(i32x4.splat(j), from, better)
        at += row
        cost += 4
      }
      best = f32x4.sub(f32x4.add(best, now), v128.load32_splat(away + ((<usize>k) << 2)))
      if (before < 0) {
        const begins = i32x4.lt_s(i32x4.add(i32x4.splat(before), i32x4(0, 1, 2, 3)), i32x4.splat(0))
        best = v128.bitselect(now, best, begins)
        from = v128.bitselect(i32x4.splat(BEGINS), from, begins)
      }
      v128.store(score + here, best)
      const b = back + <usize>k * n + t
      store<u8>(b, <u8>i32x4.extract_lane(from, 0))
      store<u8>(b, <u8>i32x4.extract_lane(from, 1), 1)
      store<u8>(b, <u8>i32x4.extract_lane(from, 2), 2)
      store<u8>(b, <u8>i32x4.extract_lane(from, 3), 3)
    }
  }
}

/**
 * One frame of the search for held pitches: for each of `count` (even) pitches the cost of being held there after this
 * frame, whether it was held before or is entered, and in stays[k] 1 where it was held.
 *
 * @param cost, next floats before and after; @param pitches doubles; @param stays bytes
 * @param at the frame's pitch, or below 0 where it has none, which costs `silent`
 * @param spread of the line around a held pitch; @param most what a frame may cost
 * @param floor taken off all; @param enter cost of entering
 */
export function holdStep(
  cost: usize,
  next: usize,
  stays: usize,
  pitches: usize,
  count: i32,
  at: f64,
  spread: f64,
  most: f64,
  silent: f64,
  floor: f64,
  enter: f64,
): void {
  const place = f64x2.splat(at)
  const wide = f64x2.splat(spread)
  const half = f64x2.splat(0.5)
  const highest = f64x2.splat(most)
  const none = f64x2.splat(silent)
  const low = f64x2.splat(floor)
  const entered = f64x2.splat(enter)
  for (let k = 0; k < count; k += 2) {
    let emit = none
    if (at >= 0) {
      const off = f64x2.div(f64x2.sub(place, v128.load(pitches + ((<usize>k) << 3))), wide)
      emit = f64x2.min(highest, f64x2.mul(f64x2.mul(half, off), off))
    }
    const stay = f64x2.promote_low_f32x4(v128.load64_zero(cost + ((<usize>k) << 2)))
    const held = f64x2.le(stay, entered)
    const least = v128.bitselect(stay, entered, held)
    const sum = f32x4.demote_f64x2_zero(f64x2.add(f64x2.sub(least, low), emit))
    v128.store64_lane(next + ((<usize>k) << 2), sum, 0)
    store<u8>(stays + k, <u8>(i64x2.extract_lane(held, 0) & 1))
    store<u8>(stays + k, <u8>(i64x2.extract_lane(held, 1) & 1), 1)
  }
}

/** Index of the least of n floats, the first of several. */
export function leastOf(x: usize, n: i32): i32 {
  let best = 0
  let least = load<f32>(x)
  for (let k = 1; k < n; k++) {
    const v = load<f32>(x + ((<usize>k) << 2))
    if (v < least) {
      least = v
      best = k
    }
  }
  return best
}
