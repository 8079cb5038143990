// Crossfades whose level neither dips nor swells, whatever the two sounds have in common.
import { peak } from '../dsp/energy'
import { latest } from '../latest'

/** Energy of what of a stretch lies before `first` and from `last` on, where another signal is not. */
function outside(x: Float32Array, from: number, count: number, first: number, last: number): number {
  let sum = 0
  for (let i = 0; i < Math.min(first, count); i++) sum += (x[from + i] ?? 0) ** 2
  for (let i = Math.max(first, last); i < count; i++) sum += (x[from + i] ?? 0) ** 2
  return sum
}

/** Correlation of two stretches of planar signal, -1 to 1; 0 when either is silent. */
export function correlation(
  a: readonly Float32Array[],
  aFrom: number,
  b: readonly Float32Array[],
  bFrom: number,
  count: number,
): number {
  let [ab, aa, bb] = [0, 0, 0]
  for (let c = 0; c < a.length; c++) {
    const [x, y] = [a[c]!, b[c]!]
    const first = Math.max(0, -aFrom, -bFrom)
    const last = Math.min(count, x.length - aFrom, y.length - bFrom)
    aa += outside(x, aFrom, count, first, last)
    bb += outside(y, bFrom, count, first, last)
    for (let i = first; i < last; i++) {
      const p = x[aFrom + i]!
      const q = y[bFrom + i]!
      ab += p * q
      aa += p * p
      bb += q * q
    }
  }
  return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : 0
}

/** A raised cosine's rise, at a place 0-1. */
const raised = (x: number): number => 0.5 - 0.5 * Math.cos(Math.PI * x)

/**
 * Gains of the outgoing and incoming sound at a place of a crossfade.
 *
 * @param x place, 0-1; @param r correlation of the two sounds, taken as 0 when negative
 * @returns gains with constant power for that correlation: equal gain at r = 1, equal power at r = 0
 * Source: M. Fink, M. Holters & U. Zölzer, "Signal-matched power-complementary cross-fading", DAFx 2016.
 */
export function crossfadeGains(x: number, r: number): [number, number] {
  const b = raised(x)
  const norm = normOf(b, r)
  return [(1 - b) * norm, b * norm]
}

const normOf = (b: number, r: number): number =>
  1 / Math.sqrt((1 - b) * (1 - b) + b * b + 2 * (1 - b) * b * Math.max(0, r))

/** Rises of fades last made, by their length; many are made again. */
const rises = latest<number, Float64Array>(64)

const riseOf = (count: number): Float64Array =>
  rises.of(count, () => Float64Array.from({ length: count }, (_, i) => raised((i + 0.5) / count)))

/** Sounds that have more in common than this are faded as if they were one: 0.002 dB at most. */
const ALIKE = 0.999

/** A fade may be this much above the louder of its two sounds' peaks: 1 dB. */
export const ROOM = 10 ** (1 / 20)

/** The greatest magnitude in either of two stretches of planar signal. */
function limitOf(
  out: readonly Float32Array[],
  at: number,
  count: number,
  incoming: readonly Float32Array[],
  from: number,
): number {
  return Math.max(
    ...out.map((o) => peak(o, at, at + count)),
    ...incoming.map((y) => peak(y, Math.max(0, from), Math.min(y.length, from + count))),
  )
}

/**
 * Fades `out` from what it holds to `incoming`, in place, in all channels alike.
 *
 * The gains are those for the two sounds' correlation, or for as much more as keeps their sum's peak in bounds: two tones
 * that happen to beat against each other would else stand out.
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
  const rise = riseOf(count)
  const limit = ROOM * limitOf(out, at, count, incoming, from)
  const faded = out.map(() => new Float32Array(count))
  /** @returns whether all of the fade stays below the limit */
  const fade = (r: number): boolean =>
    out.every((o, c) => {
      const [y, sum] = [incoming[c]!, faded[c]!]
      for (let i = 0; i < count; i++) {
        const b = rise[i]!
        const norm = r > ALIKE ? 1 : normOf(b, r)
        const v = (1 - b) * norm * o[at + i]! + b * norm * (y[from + i] ?? 0)
        if (r < 1 && Math.abs(v) > limit) return false
        sum[i] = v
      }
      return true
    })
  let r = Math.max(0, correlation(out, at, incoming, from, count))
  while (!fade(r)) r = Math.min(1, r + 0.25)
  out.forEach((o, c) => o.set(faded[c]!, at))
}

/** Fades `out` to silence over `count` samples from `at` on. */
export function fadeOut(out: readonly Float32Array[], at: number, count: number): void {
  for (const o of out)
    for (let i = 0; i < count && at + i < o.length; i++)
      o[at + i]! *= 0.5 + 0.5 * Math.cos((Math.PI * (i + 0.5)) / count)
}
