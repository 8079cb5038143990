// Reading ranges of a signal that may lie partly outside it.

/**
 * Copies `source[from, to)` into `target` at `at`; what lies outside the source is left as it was.
 *
 * @param source samples to read; `from` may be negative and `to` may pass the end
 */
export function copyRange(
  source: Float32Array,
  from: number,
  to: number,
  target: Float32Array,
  at = 0,
): Float32Array {
  const lo = Math.max(0, from)
  const hi = Math.min(source.length, to)
  if (hi > lo) target.set(source.subarray(lo, hi), at + lo - from)
  return target
}

/** `source[from, to)` as a new array, zero outside the source. */
export const sliceRange = (source: Float32Array, from: number, to: number): Float32Array =>
  copyRange(source, from, to, new Float32Array(Math.max(0, to - from)))

/** Arrays end to end. */
export function joined<T extends Float32Array | Float64Array | Uint8Array>(parts: readonly T[]): T {
  const first = parts[0]!
  if (parts.length === 1) return first
  const out = new (first.constructor as new (n: number) => T)(parts.reduce((n, p) => n + p.length, 0))
  let at = 0
  for (const p of parts) {
    out.set(p, at)
    at += p.length
  }
  return out
}
