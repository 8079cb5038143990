// Seeded pseudo-random numbers, so that everything made from them repeats.

/**
 * A generator of uniform numbers in [0, 1).
 *
 * @param seed any 32-bit integer
 * Source: mulberry32, T. Ettinger (public domain).
 */
export function randomFrom(seed: number): () => number {
  let a = seed >>> 0
  return () => {
    a = (a + 0x6d2b79f5) >>> 0
    let t = a
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}
