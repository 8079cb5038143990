// How loud the stretched part of a note is.
import { energy, scaleAlong } from '../dsp/energy'
import { rangeOf } from './copy'
import type { Readable, Span } from './types'

/** Most that a head's length is made up for in what follows it, as a factor: 0.8 dB; less than the least is left. */
const MOST_MADE_UP = 1.096
const LEAST_MADE_UP = 1.003
/** How much of what follows is read for it, seconds. */
const JUDGED = 2

/**
 * Factor by which a body makes up for its head, so that both together have the energy wanted.
 *
 * @param head, body energies as they are
 * @returns exactly 1 where next to nothing is to be made up for
 */
function madeUp(wanted: number, head: number, body: number): number {
  if (!(body > 0)) return 1
  const gain = Math.sqrt(Math.max(0, (wanted - head) / body))
  if (Math.abs(Math.log(gain)) < Math.log(LEAST_MADE_UP)) return 1
  return Math.min(MOST_MADE_UP, Math.max(1 / MOST_MADE_UP, gain))
}

/**
 * Energy that a span has when every part of it sounds with the power it was recorded with, for as long as the map puts
 * there.
 *
 * @param recorded the recording, all channels
 */
export function mappedEnergy(recorded: readonly Float32Array[], { from, to, length, share }: Span): number {
  const count = to - from
  const [first, last] = [Math.max(0, from), Math.min(recorded[0]!.length, to)]
  if (!share) return (recorded.reduce((sum, x) => sum + energy(x, first, last), 0) * length) / count
  let sum = 0
  for (let n = 0; n < length; n++) {
    const place = from + Math.min(count - 1, Math.floor(share(n) * count))
    for (const x of recorded) sum += (x[place] ?? 0) ** 2
  }
  return sum
}

/**
 * Makes a part of a span as loud as the whole needs it for its power.
 *
 * @param out the span, all channels; changed in place
 * @param wanted energy of all of it, all channels
 * @param from, to the part that may change, samples; the gain goes in and out over `ramp` samples each
 * @param gainOf what is applied of the gain that would be needed
 */
export function keepPower(
  out: readonly Float32Array[],
  wanted: number,
  from: number,
  to: number,
  ramp: number,
  gainOf: (needed: number) => number,
): void {
  if (to - from <= ramp) return
  // Between the ramps all of the gain counts; where they meet, less.
  const middle = Math.ceil((from + to) / 2)
  const rest = Math.min(from + ramp, middle)
  const again = Math.max(to - ramp, middle)
  const sum = (first: number, last: number): number =>
    out.reduce((total, x) => total + energy(x, first, last), 0)
  // With the gain on its way in and out, the energy is a + 2 (g - 1) b + (g - 1)² c.
  let b = sum(rest, again)
  const a = sum(0, rest) + b + sum(again, out[0]!.length)
  let c = b
  const onTheWay = (first: number, last: number, start: number, rise: number): void => {
    let [once, twice] = [0, 0]
    for (const o of out)
      for (let n = first; n < last; n++) {
        const w = (start + rise * (n - first)) / ramp
        const heard = w * o[n]! * o[n]!
        once += heard
        twice += w * heard
      }
    b += once
    c += twice
  }
  onTheWay(from, rest, 0, 1)
  onTheWay(again, to, to - again, -1)
  if (!(c > 0)) return
  const gain = gainOf(1 + (Math.sqrt(Math.max(0, b * b - c * (a - wanted))) - b) / c)
  if (Math.abs(Math.log(gain)) < Math.log(LEAST_MADE_UP)) return
  const step = (ramp + 3) & ~3
  const line = (first: number, last: number, start: number, rise: number): void => {
    const gains = [0, step].map((n) => 1 + ((gain - 1) * (start + rise * n)) / ramp)
    for (const o of out) scaleAlong(o, first, last, gains, step)
  }
  line(from, rest, 0, 1)
  line(rest, again, ramp, 0)
  line(again, to, to - again, -1)
}

/** What is off by less than this is left, as a factor: 0.12 dB. */
const LEFT = 1.014

/** Of the gain needed what is more than 0.12 dB, and at most 0.8, either way. */
export const slightly = (needed: number): number =>
  needed > LEFT
    ? Math.min(MOST_MADE_UP, needed / LEFT)
    : needed < 1 / LEFT
      ? Math.max(1 / MOST_MADE_UP, needed * LEFT)
      : 1

/**
 * Gain of a body that follows an attack's head.
 *
 * The head is louder than the rest, as a rule, and keeps its length while the rest is stretched, so a stretched note
 * would lose some of its power, and a squeezed one gain some: the body makes up for it, by tenths of a decibel.
 *
 * @param head samples of the recording from the span's start on that are copied
 * @param turn output sample, and the recording place that it reads, up to which the body goes at one speed; from there on
 * at another; and half the length of a frame
 * @returns factor, exactly 1 where next to nothing is to be made up for
 */
export function bodyGain(
  source: Readable,
  span: Span,
  head: number,
  turn: { readonly at: number; readonly place: number; readonly reach: number },
): number {
  if (!span.attackAtStart) return 1
  const whole = span.to - span.from
  const caught = Math.round(turn.place) - span.from
  // A frame is as loud as all that its window reaches over.
  const near = Math.min(whole, Math.max(caught, head + turn.reach))
  const rest = whole - near
  const judged = Math.min(rest, Math.round(JUDGED * source.sampleRate))
  const power = (from: number, to: number): number =>
    rangeOf(source, span.from + from, span.from + to).reduce((sum, x) => sum + energy(x), 0)
  const loud = power(0, head)
  const between = power(head, near)
  const following = judged > 0 ? (power(near, near + judged) * rest) / judged : 0
  const speed = caught < whole ? (span.length - turn.at) / (whole - caught) : 0
  const stretched =
    (between * (turn.at - head + (near - caught) * speed)) / Math.max(1, near - head) + following * speed
  return madeUp((span.length / whole) * (loud + between + following), loud, stretched)
}
