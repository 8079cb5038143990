// Crossfades whose level neither dips nor swells, whatever the two sounds have in common.

/** Correlation of two stretches of planar signal, -1 to 1; 0 when either is silent. */
export function correlation(
  a: readonly Float32Array[],
  aFrom: number,
  b: readonly Float32Array[],
  bFrom: number,
  count: number,
): number {
  let [ab, aa, bb] = [0, 0, 0]
  a.forEach((x, c) => {
    const y = b[c]!
    for (let i = 0; i < count; i++) {
      const p = x[aFrom + i] ?? 0
      const q = y[bFrom + i] ?? 0
      ab += p * q
      aa += p * p
      bb += q * q
    }
  })
  return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : 0
}

/**
 * Gains of the outgoing and incoming sound at a place of a crossfade.
 *
 * @param x place, 0-1; @param r correlation of the two sounds, taken as 0 when negative
 * @returns gains with constant power for that correlation: equal gain at r = 1, equal power at r = 0
 * Source: M. Fink, M. Holters & U. Zölzer, "Signal-matched power-complementary cross-fading", DAFx 2016.
 */
export function crossfadeGains(x: number, r: number): [number, number] {
  const b = 0.5 - 0.5 * Math.cos(Math.PI * x)
  const a = 1 - b
  const norm = 1 / Math.sqrt(a * a + b * b + 2 * a * b * Math.max(0, r))
  return [a * norm, b * norm]
}

/** A fade may be this much above the louder of its two sounds' peaks: 1 dB. */
const ROOM = 10 ** (1 / 20)

/**
 * The correlation to fade by: the measured one, or as much more as keeps the sum's peak in bounds. Two tones that
 * happen to beat against each other would else stand out.
 */
function tamed(
  out: readonly Float32Array[],
  at: number,
  count: number,
  incoming: readonly Float32Array[],
  from: number,
  r: number,
): number {
  let limit = 0
  out.forEach((o, c) => {
    for (let i = 0; i < count; i++) {
      const [p, q] = [Math.abs(o[at + i]!), Math.abs(incoming[c]![from + i] ?? 0)]
      if (p > limit) limit = p
      if (q > limit) limit = q
    }
  })
  limit *= ROOM
  for (let tried = r; tried < 1; tried += 0.25) {
    let fits = true
    for (let i = 0; i < count && fits; i++) {
      const [a, b] = crossfadeGains((i + 0.5) / count, tried)
      for (let c = 0; c < out.length && fits; c++)
        fits = Math.abs(a * out[c]![at + i]! + b * (incoming[c]![from + i] ?? 0)) <= limit
    }
    if (fits) return tried
  }
  return 1
}

/**
 * Fades `out` from what it holds to `incoming`, in place, in all channels alike.
 *
 * @param at first sample of the fade in `out`; @param count its length
 * @param from first sample of `incoming` that is faded to (zero outside)
 */
export function crossfadeTo(
  out: readonly Float32Array[],
  at: number,
  count: number,
  incoming: readonly Float32Array[],
  from: number,
): void {
  if (count <= 0) return
  const r = tamed(out, at, count, incoming, from, Math.max(0, correlation(out, at, incoming, from, count)))
  for (let i = 0; i < count; i++) {
    const [a, b] = crossfadeGains((i + 0.5) / count, r)
    out.forEach((o, c) => {
      o[at + i] = a * o[at + i]! + b * (incoming[c]![from + i] ?? 0)
    })
  }
}

/** Fades `out` to silence over `count` samples from `at` on. */
export function fadeOut(out: readonly Float32Array[], at: number, count: number): void {
  for (const o of out)
    for (let i = 0; i < count && at + i < o.length; i++)
      o[at + i]! *= 0.5 + 0.5 * Math.cos((Math.PI * (i + 0.5)) / count)
}
