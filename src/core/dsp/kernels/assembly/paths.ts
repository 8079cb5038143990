// The search for the best path of beats: dynamic programming over places and intervals.

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
