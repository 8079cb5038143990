// Line: one note at a time. The recording itself, with whole periods repeated or left out where they match best.
import { readBetween } from '../audio/sinc'
import { peak } from '../dsp/energy'
import { copyRange } from '../dsp/signal'
import { crossfadeTo, ROOM } from './joins'
import { bestLag, lagSearch, type Lag } from './periods'
import { isLevel, mirrored } from './mirrored'
import type { Method, Source, Span, Voice } from './types'
import { atRises } from './unmarked'

/** Least and greatest length that is looked for to be repeated or left out, seconds: a period, or several short ones. */
const LEAST = 0.004
const MOST = 0.026
/**
 * Periods of the lowest strings and pipes are longer, down to 27 Hz. They are looked for where nothing shorter is a tone's,
 * and taken where they leave so much less of the wave unlike: over long jumps other sounds change more.
 */
const LONGEST = 0.037
const LESS = 0.25
/** A poor match is put off until the sound has drifted this far from its place, seconds. */
const PATIENCE = 0.014
/** Matches above this are of a tone, whose period is seldom a whole number of samples: what follows is read between them. */
const TONAL = 0.9
/** Places lie at whole parts of a sample, so many to one: their sums are exact, and what is read does not depend on where a chunk begins. */
const PARTS = 2 ** 16
/** Matches below this are poor. */
const GOOD = 0.6
/** How long a splice that was put off waits, seconds. */
const WAIT = 0.0015
/** For so long after an attack nothing is spliced, and its first half is never jumped back to, seconds. */
const HEAD = 0.008
/** What matches itself less than this nowhere is noise, which is run back over for at most so long, and fades for so long where it turns, seconds. */
const NOISE = 0.4
const MOST_BACK = 0.03
const TURN_FADE = 0.006
/** Fade of one splice, seconds. */
const LEAST_FADE = 0.004
const MOST_FADE = 0.02
/** No fade is shorter, samples. */
const LEAST_SPLICE = 8
/** Crossfade into the recording before the end of a span, at an attack or inside a tone, seconds. */
const END_ATTACK = 0.016
const END_TONE = 0.02

/**
 * Renders a span by splices of whole periods.
 *
 * What is heard is the recording, sample for sample or, after a tone's period of no whole number of samples, read between
 * them, but for short crossfades where it jumps a period back (to last longer) or forth. It jumps as soon as it is half a jump away from where the map puts it, so the sound is never
 * further than half a jump from its place, or where no wave matches a little further; noise then runs back and forth instead, so that nothing of it is heard again; the wave shape of every period, its formants
 * and its noise stay. The first milliseconds of an attack are left alone, and the next attack is never reached before its place.
 * All channels jump together.
 *
 * Sources: D. Malah, "Time-domain algorithms for harmonic bandwidth reduction and time scaling of speech signals",
 * IEEE Trans. ASSP 27(2), 1979 (splices of whole periods); W. Verhelst & M. Roelands, "An overlap-add technique based
 * on waveform similarity (WSOLA)", ICASSP 1993 (splices where the wave matches best).
 */
export const line: Method = (source, span) => atRises(source, span, (part) => lineVoice(source, part))

/** The greatest magnitude of planar samples from one to another, as far as they go. */
const loudest = (x: readonly Float32Array[], from: number, to: number): number =>
  Math.max(...x.map((c) => peak(c, Math.max(0, from), Math.min(c.length, to))))

/** A piece that leads from the recording to itself elsewhere. */
interface Splice {
  /** Output sample at which it begins, and its length. */
  readonly at: number
  readonly length: number
  /** After it, output sample n is recording sample n + shift. */
  readonly shift: number
  /** Its samples, planar. */
  make(): Float32Array[]
}

function lineVoice(source: Source, span: Span): Voice {
  const rate = source.sampleRate
  const { length } = span
  const step = (span.to - span.from) / length
  const end = span.joinsEnd
    ? Math.min(
        Math.round((span.attackAtEnd ? END_ATTACK : END_TONE) * rate),
        length >> 2,
        (span.to - span.from) >> 2,
      )
    : 0
  const bodyEnd = length - end
  const head = span.attackAtStart ? Math.min(Math.round(HEAD * rate), length >> 2) : 0
  const search = lagSearch(rate, LEAST, MOST)
  const lowSearch = lagSearch(rate, MOST, LONGEST)
  const wait = Math.max(1, Math.round(WAIT * rate))
  const first = Math.round((LEAST / 2) * rate)
  const patience = PATIENCE * rate
  const leastFade = LEAST_FADE * rate
  const turnFade = 2 * Math.round((TURN_FADE * rate) / 2)
  const lateRoom = (MOST_FADE + WAIT) * rate + wait
  /** Nothing earlier than this is jumped back to, and nothing later is heard before the fade at the end. */
  const earliest = span.from + (head >> 1)
  const limit = span.to - end / 2

  // Output sample n is recording sample n + shift, until the next splice.
  let position = 0
  let shift = span.from
  /** No splice comes any more. */
  let settled = step === 1 && !span.share
  let splice: Splice | undefined
  let ending: Float32Array[] | undefined

  /** How far ahead of its place the sound is at an output sample. */
  const drift = (n: number): number =>
    n + shift - (span.from + (span.share ? span.share(n) * (span.to - span.from) : n * step))
  /** Samples until the drift can have grown by so much. */
  const until = (more: number): number =>
    span.share ? wait : Math.max(1, Math.ceil(more / Math.abs(1 - step)))

  const planar = (n: number): Float32Array[] => source.channels.map(() => new Float32Array(n))

  /** A crossfade that begins at an output sample to the recording from another place on, which may lie between samples. */
  const jump = (at: number, fade: number, to: number): Splice => {
    const from = at + shift
    const whole = Math.round(to)
    let incoming = read(to, fade)
    // Between the samples of what was clipped lie higher peaks.
    const higher =
      to !== whole && loudest(incoming, 0, fade) > ROOM * loudest(source.channels, whole, whole + fade)
    if (higher) incoming = read(whole, fade)
    return {
      at,
      length: fade,
      shift: (higher ? whole : to) - at,
      make() {
        const out = read(from, fade)
        crossfadeTo(out, 0, fade, incoming, 0)
        return out
      },
    }
  }

  /** Noise that is ahead of its place lasts longer by its mirror image; undefined where that would bring something else. */
  const turn = (at: number, away: number): Splice | undefined => {
    const place = at + shift
    const most = Math.round(Math.min(2 * away, MOST_BACK * rate))
    const back = [most, most >> 1].find((b) => isLevel(source, Math.round(place), b + turnFade))
    if (!back || place - back - turnFade < earliest || place + 2 * turnFade > span.to - end) return undefined
    const length = back + turnFade
    if (at + length + turnFade > bodyEnd) return undefined
    return {
      at,
      length,
      shift: shift - back + turnFade / 2,
      make: () => mirrored(read(place - length, length + 2 * turnFade), length, back, turnFade),
    }
  }

  /** The jump from a place where the wave matches best. */
  const lagAt = (place: number, way: 1 | -1): Lag => {
    const lag = bestLag(search, source.channels, place, way)
    // Longest of all, it may be on the way to a longer one.
    if (lag.match > TONAL && lag.length < search.most) return lag
    const low = bestLag(lowSearch, source.channels, place, way)
    return low.match > TONAL && 1 - low.match < LESS * (1 - lag.match) ? low : lag
  }

  /** The next splice from an output sample on. */
  const plan = (from: number): Splice | undefined => {
    // Where the sound would run into what comes after the span, which must not be heard early.
    const edge = Math.floor(limit - shift)
    const late = edge < bodyEnd
    for (let n = Math.max(from, head); n <= bodyEnd - leastFade;) {
      const away = drift(n)
      const far = Math.abs(away)
      const pressed = late && n >= edge - lateRoom
      /** Goes on, no further than to where it is late. */
      const goOn = (samples: number): void => {
        n += late && !pressed ? Math.min(samples, Math.ceil(edge - lateRoom - n)) : samples
      }
      if (far < first && !pressed) {
        goOn(until(first - far))
        continue
      }
      // At the last moment it jumps to its place, whatever the wave is there.
      if (late && n > edge - leastFade - wait) {
        const to = Math.round(n + Math.min(shift - away, limit - bodyEnd))
        const fade = Math.min(bodyEnd - n, Math.max(LEAST_SPLICE, edge - n))
        return jump(n, fade, Math.max(to, earliest))
      }
      const back = pressed || away > 0
      const lag = lagAt(Math.round(n + shift), back ? -1 : 1)
      const half = lag.length / 2
      if (far < half && far < patience && !pressed) {
        goOn(until(half - far))
        continue
      }
      const turned = lag.match < NOISE && away >= patience && !pressed ? turn(n, away) : undefined
      if (turned) return turned
      const jumped = lag.length + lag.between
      const exact = n + shift + (back ? -jumped : jumped)
      const to = lag.match > TONAL ? Math.round(PARTS * exact) / PARTS : Math.round(exact)
      const longest = Math.floor((late ? edge : bodyEnd) - n)
      const fade = Math.round(Math.min(MOST_FADE * rate, Math.max(leastFade, lag.length), longest))
      const poor = lag.match < GOOD && far < patience && !pressed
      // Neither may what comes before the span's start be heard in it, nor its attack or its end twice.
      if (poor || to < earliest || to + fade > span.to - end) {
        n += wait
        continue
      }
      return jump(n, fade, to)
    }
    return undefined
  }

  const copy = (out: readonly Float32Array[], at: number, from: number, count: number): void =>
    source.channels.forEach((c, i) => {
      const y = out[i]!.subarray(at, at + count)
      if (Number.isInteger(from)) copyRange(c, from, from + count, y.fill(0))
      else readBetween(c, from, y)
    })
  /** The recording from a place on, which may lie between samples. */
  const read = (from: number, count: number): Float32Array[] => {
    const out = planar(count)
    copy(out, 0, from, count)
    return out
  }

  const makeEnding = (): Float32Array[] => {
    const out = read(bodyEnd + shift, end)
    // What is ahead of its place fades sooner, before it runs into the attack.
    const fade = span.attackAtEnd
      ? Math.max(LEAST_SPLICE, Math.min(end, Math.floor(span.to - bodyEnd - shift)))
      : end
    crossfadeTo(out, 0, Math.min(fade, end), source.channels, span.to - end)
    source.channels.forEach((c, i) => copyRange(c, span.to - end + fade, span.to, out[i]!, fade))
    return out
  }

  let fading: Float32Array[] | undefined

  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        const left = count - done
        if (position >= bodyEnd) {
          ending ??= makeEnding()
          const from = position - bodyEnd
          ending.forEach((x, c) => out[c]!.set(x.subarray(from, from + left), at + done))
          position += left
          return
        }
        if (!splice && !settled) {
          splice = plan(position)
          settled = splice === undefined
        }
        const turn = splice ? splice.at : bodyEnd
        if (position < turn) {
          const n = Math.min(left, turn - position)
          copy(out, at + done, position + shift, n)
          position += n
          done += n
          continue
        }
        const s = splice!
        fading ??= s.make()
        const from = position - s.at
        const n = Math.min(left, s.length - from)
        fading.forEach((x, c) => out[c]!.set(x.subarray(from, from + n), at + done))
        position += n
        done += n
        if (position === s.at + s.length) {
          shift = s.shift
          splice = undefined
          fading = undefined
        }
      }
    },
  }
}
