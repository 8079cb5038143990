// What follows an attack, longer or shorter than it was recorded: read so that it never gets far from its place.
import { copyRange } from '../dsp/signal'
import { crossfadeTo } from './joins'
import { bestLag, bestTurn, lagSearch } from './periods'
import type { Source, Span } from './types'

/** Reading turns or jumps when it is this far from where the map puts it, seconds. */
const DRIFT = 0.018
/** An attack, for so long, is not heard again, seconds; of a short sound its first half. */
const FIRST = 0.03
/** Nor does reading turn or jump at once after it has, seconds. */
const RUN = 0.01
/** A place to turn is looked for over this long, and is judged by so much to either side, seconds. */
const TURN = 0.012
/** Shortest and longest jump, seconds. */
const LEAST_JUMP = 0.02
const MOST_JUMP = 0.055
/** Crossfade of a jump, seconds. */
const FADE = 0.008
/** The drift is looked at every so many samples. */
const STEP = 32

/** Makes samples [at, end) as loud as output sample n and following, read from `place` on, forward or backward. */
export type Loudness = (
  out: readonly Float32Array[],
  at: number,
  end: number,
  n: number,
  place: number,
  way: 1 | -1,
) => void

/** Where reading of a tail is, or goes on. */
interface Reading {
  /** Output sample, and the recording place that sounds there. */
  readonly n: number
  readonly place: number
  /** Forward or backward. */
  readonly way: 1 | -1
  /** Samples over which what sounded before fades out. */
  readonly fade: number
}

/** How long reading goes on as it is, and how it goes on then. */
interface Leg {
  readonly count: number
  readonly place: number
  readonly way: 1 | -1
}

/** What is filled: output samples [0, end) of a span, from the recording up to its sample `last`. */
interface Tail {
  readonly source: Source
  readonly span: Span
  readonly last: number
  readonly end: number
}

/** Reading is not put before this place again: there the attack is over, or half of a short sound. */
const earliestOf = ({ source, span, last }: Tail): number =>
  span.from + Math.floor(Math.min(FIRST * source.sampleRate, (last + 1 - span.from) / 2))

/** How far reading is ahead of the map, samples. */
const driftOf =
  ({ span: { from, to, length, share } }: Tail) =>
  (n: number, place: number): number =>
    place - from - (share ? share(n) : n / length) * (to - from)

/** Legs back and forth, for a tail that lasts longer. */
function backAndForth(tail: Tail, between: number): (at: Reading) => Leg {
  const { source, span, last, end } = tail
  const rate = source.sampleRate
  const [earliest, drift] = [earliestOf(tail), driftOf(tail)]
  const far = DRIFT * rate
  const [run, turn] = [RUN, TURN].map((t) => Math.round(t * rate)) as [number, number]
  const search = lagSearch(rate, LEAST_JUMP, MOST_JUMP)
  return ({ n, place, way, fade }) => {
    const left = end - n
    const back = Math.max(place + 1 - earliest, Math.min(run, (place + 1 - span.from) >> 1))
    const most = Math.min(left, way > 0 ? last + 1 - place - (left > last + 1 - place ? between : 0) : back)
    let count = Math.min(most, Math.max(fade, way > 0 ? Math.max(run, earliest + run - place) : run))
    while (count < most && way * drift(n + count, place + way * count) < far) count += STEP
    count = Math.min(count, most)
    if (count >= left) return { count, place, way }
    const reached = place + way * count
    const before = bestTurn(search, source.channels, reached, way, Math.min(turn, count >> 1))
    return { count, place: reached - way * before, way: way > 0 ? -1 : 1 }
  }
}

/** Legs forwards, for a tail that lasts longer, jumping back, or shorter, jumping on. */
function jumping(tail: Tail, between: number): (at: Reading) => Leg {
  const { source, span, last, end } = tail
  const rate = source.sampleRate
  const [earliest, drift] = [earliestOf(tail), driftOf(tail)]
  const jump = span.length > span.to - span.from ? -1 : 1
  const far = DRIFT * rate
  const search = lagSearch(rate, LEAST_JUMP, MOST_JUMP)
  return ({ n, place, fade }) => {
    const left = end - n
    const fits = last + 1 - place
    const most =
      jump > 0 || left <= fits
        ? left
        : Math.max(fade, fits - Math.max(between, Math.min(search.width, fits >> 1)))
    let count = Math.min(most, Math.max(fade, earliest + (jump < 0 ? search.most : 0) - place))
    while (count < most && jump * drift(n + count, place + count) > -far) count += STEP
    count = Math.min(count, most)
    const reached = place + count
    // No further back than to where the attack is over, no further on than what is left lasts.
    const furthest = jump < 0 ? reached - earliest : last + 1 - reached - (left - count)
    const room = furthest >= search.least && reached + search.width <= last + 1
    if (count + between >= left || (jump > 0 && !room)) return { count: left, place, way: 1 }
    const next = room
      ? reached + jump * bestLag(search, source.channels, reached, jump, furthest).length
      : earliest
    return { count, place: next, way: 1 }
  }
}

/** Copies `count` samples, read from a place on forward or backward, to `out` at `at`. */
function read(
  source: Source,
  { place, way }: Pick<Reading, 'place' | 'way'>,
  count: number,
  out: readonly Float32Array[],
  at: number,
): void {
  const from = way > 0 ? place : place + 1 - count
  source.channels.forEach((c, i) => {
    const o = out[i]!.fill(0, at, at + count)
    copyRange(c, from, from + count, o, at)
    if (way < 0) o.subarray(at, at + count).reverse()
  })
}

/**
 * Fills output samples [0, end) of a span with its recording, which runs on but for short crossfades to a place before or
 * after, so that what sounds is never far from where the map puts it: level and colour are those of its place.
 *
 * @param last sample of the recording that may be read
 * @param mirrored a tail that lasts longer is read back and forth; else it jumps back again and again. One that is shorter
 * jumps on
 */
export function fillTail(
  source: Source,
  span: Span,
  last: number,
  mirrored: boolean,
  out: readonly Float32Array[],
  end: number,
  loudness: Loudness,
): void {
  const tail = { source, span, last, end }
  const fades = Math.round(FADE * source.sampleRate)
  const between = Math.min(fades, (last + 1 - earliestOf(tail)) >> 2)
  const legOf = (mirrored ? backAndForth : jumping)(tail, between)
  let at: Reading = { n: 0, place: span.from, way: 1, fade: 0 }
  while (at.n < end) {
    const { n, place, way, fade } = at
    const leg = legOf(at)
    const count = Math.min(leg.count, end - n)
    const over = Math.min(between, end - n - count)
    const faded = Math.min(fade, count + over)
    const begin = source.channels.map(() => new Float32Array(faded))
    read(source, at, faded, begin, 0)
    loudness(begin, 0, faded, n, place, way)
    crossfadeTo(out, n, faded, begin, 0)
    const rest = { place: place + way * faded, way }
    read(source, rest, count + over - faded, out, n + faded)
    loudness(out, n + faded, n + count + over, n + faded, rest.place, way)
    at = { n: n + count, place: leg.place, way: leg.way, fade: over }
  }
}
