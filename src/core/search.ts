// Searching sorted sequences.

/**
 * Index of the last entry of a rising sequence that is not above `x`, or -1.
 *
 * @param count entries to search; @param at value of entry i
 */
export function lastAtOrBelow(count: number, at: (i: number) => number, x: number): number {
  let lo = 0
  let hi = count
  while (lo < hi) {
    const mid = (lo + hi) >> 1
    if (at(mid) <= x) lo = mid + 1
    else hi = mid
  }
  return lo - 1
}
