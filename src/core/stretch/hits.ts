// Hits: every attack sample for sample from the recording; only the tail after it is shortened or filled.
import { peak, scaleAlong } from '../dsp/energy'
import { copyRange, sliceRange } from '../dsp/signal'
import { keepPower, mappedEnergy } from './body-gain'
import { voiceOf } from './copy'
import { levelCourse } from './course'
import { crossfadeTo, fadeOut } from './joins'
import type { Method, Source, Span, StretchSettings } from './types'

/** Crossfade into the recording's last moments before the next attack, seconds. */
const LEAD = 0.004
/** What a sound keeps at least, whatever the tail setting, seconds. */
const LEAST_KEPT = 0.025
const REST_FADE = 0.012
const LOOP_FADE = 0.006
/** A turn is looked for over this long: half a wave of the lowest drum, seconds. */
const TURN = 0.012

/**
 * The place before `at`, at most `within` back, where the waveform turns in all channels as nearly as anywhere: reading may
 * reverse there without a corner.
 */
function turningPoint({ channels }: Source, at: number, within: number): number {
  let [turn, least] = [at, Infinity]
  for (let i = at; i > at - within; i--) {
    let corner = 0
    for (const c of channels) corner += ((c[i + 1] ?? 0) - (c[i - 1] ?? 0)) ** 2
    if (corner >= least) continue
    least = corner
    turn = i
  }
  return turn
}

interface Loop {
  /** Range of the recording that the filling is made from. */
  readonly from: number
  readonly to: number
}

function loopOf(s: Source, span: Span, end: number): Loop {
  const ms = s.sampleRate / 1000
  const body = end - span.from
  const start = span.from + Math.round(Math.max(body / 2, Math.min(LEAST_KEPT * s.sampleRate, body - 8 * ms)))
  const within = Math.min(TURN * s.sampleRate, body / 4)
  const to = turningPoint(s, end, within)
  const from = turningPoint(s, Math.max(span.from, start), within)
  return { from, to: Math.max(to, from + 1) }
}

/** Gain at output sample n of what is read at a place of the recording. */
type Gain = (n: number, place: number) => number

/** An attack keeps its level for this long; over as long again the level goes over to that of its mapped place, seconds. */
const HOLD = 0.03
/** And for this long however much is squeezed. */
const LEAST_HOLD = 0.012
/** Where a sound is shortened, it is as quiet before the next attack for this long as it was recorded, seconds. */
const BEFORE = 0.024
/** Most by which sound is made softer or louder, natural log (17 and 12 dB). */
const SOFTER = -2
const LOUDER = 1.4

/** Most that a tail makes up for its attack, as factors: 0.9 dB softer where sounds are squeezed, 3 dB louder. */
const TAIL_SOFTER = 1 / 1.109
const TAIL_LOUDER = 1.41

/**
 * Gain of a tail that would need some gain to make up for its attack: the less the farther that is out of reach, as a room
 * that is hardly heard after a stroke would only be pumped.
 */
const tailGain = (needed: number): number =>
  needed <= TAIL_LOUDER ? Math.max(TAIL_SOFTER, needed) : Math.max(1, TAIL_LOUDER ** 2 / needed)

/** How long the attack of a span keeps its level, samples. */
const holdOf = (length: number, rate: number): number =>
  Math.round(Math.min(HOLD * rate, Math.max(LEAST_HOLD * rate, length / 4)))

/** The gain that gives every output sample the level that the recording has where the map puts it. */
function mappedLevel(source: Source, span: Span, end: number): Gain {
  const level = levelCourse(source, span.from, end)
  const { from, to, length } = span
  const step = (to - from) / length
  const hold = holdOf(length, source.sampleRate)
  const quiet = step > 1 && span.joinsEnd ? Math.min(BEFORE * source.sampleRate, length / 4) : 0
  // Back from the end: as recorded at first, then faster than the map until it is caught up with.
  const catching = (3 * step - 1) / 2
  const back = (left: number): number =>
    left >= 3 * quiet ? left * step : left <= quiet ? left : quiet + (left - quiet) * catching
  return (n, place) => {
    const x = (n - hold) / hold
    if (x <= 0) return 1
    const mapped = span.share ? from + span.share(n) * (to - from) : to - back(length - n)
    const wanted = level(Math.min(end, mapped)) - level(place)
    return Math.exp(Math.min(1, x) * Math.min(LOUDER, Math.max(SOFTER, wanted)))
  }
}

/** Gains are found every so many samples, and lie on lines between. */
const GAIN_STEP = 32

/** Multiplies output samples from `at` on, read from `place` on, forward or backward, by the gain. */
function applyGain(
  out: readonly Float32Array[],
  at: number,
  end: number,
  place: number,
  gain: Gain,
  way: 1 | -1 = 1,
): void {
  if (end <= at) return
  const gainAt = (n: number): number => gain(n, place + way * (n - at))
  const gains: number[] = []
  for (let n = at; n < end; n += GAIN_STEP) gains.push(gainAt(n))
  // The last line ends where the samples do.
  const rest = (end - at) % GAIN_STEP || GAIN_STEP
  const last = gains[gains.length - 1]!
  gains.push(last + ((gainAt(end) - last) * GAIN_STEP) / rest)
  for (const o of out) scaleAlong(o, at, end, gains, GAIN_STEP)
}

/** Fills output samples [at, end) from a loop. */
type Filling = (
  s: Source,
  loop: Loop,
  out: readonly Float32Array[],
  at: number,
  end: number,
  gain: Gain,
) => void

/** Back and forth over the loop. */
const fillMirror: Filling = (s, loop, out, at, end, gain) => {
  let place = loop.to - 1
  let back = true
  for (let n = at; n < end;) {
    const count = Math.min(end - n, back ? place - loop.from + 1 : loop.to - place)
    const way = back ? -1 : 1
    s.channels.forEach((c, i) => {
      const o = out[i]!
      if (back) for (let k = 0; k < count; k++) o[n + k] = c[place - k] ?? 0
      else copyRange(c, place, place + count, o.fill(0, n, n + count), n)
    })
    applyGain(out, n, n + count, place, gain, way)
    n += count
    place = back ? loop.from + 1 : loop.to
    back = !back
  }
}

/** Forward again and again, each pass crossfaded onto the one before. */
const fillRepeat: Filling = (s, loop, out, at, end, gain) => {
  const width = loop.to - loop.from
  const fade = Math.min(Math.round(LOOP_FADE * s.sampleRate), width >> 2)
  const step = width - fade
  for (let n = at; n < end; n += step) {
    const count = Math.min(width, end - n + fade)
    const piece = s.channels.map((c) => sliceRange(c, loop.from, loop.from + count))
    applyGain(piece, 0, count, loop.from, (i, place) => gain(n - fade + i, place))
    crossfadeTo(out, n - fade, fade, piece, 0)
    piece.forEach((x, i) => out[i]!.set(x.subarray(fade), n))
  }
}

/**
 * Makes the tail up for the level that its attack keeps whatever the length, so that strokes which are stretched or squeezed
 * keep their power: a stroke that lasts longer has more of a tail, and one cannot hear its attack twice.
 */
function makeUp(source: Source, span: Span, out: readonly Float32Array[]): void {
  if (!span.attackAtStart) return
  const { length } = span
  const hold = holdOf(length, source.sampleRate)
  // Before the next attack the level is the tail's own again.
  const last = length - (span.joinsEnd ? Math.round(BEFORE * source.sampleRate) : 0)
  keepPower(out, mappedEnergy(source.channels, span), hold, last, hold, tailGain)
}

/** Where a tail would be louder than all of its stroke, it is lowered for this long on either side, seconds. */
const LOWERED = 0.005

/** Keeps what is filled and made louder, a click in a tail say, from being louder than anything of the span was. */
function keepPeak(source: Source, span: Span, out: readonly Float32Array[]): void {
  const peakOf = (channels: readonly Float32Array[], from: number, to: number): number =>
    channels.reduce((top, x) => Math.max(top, peak(x, Math.max(0, from), Math.min(x.length, to))), 0)
  const top = peakOf(source.channels, span.from, span.to)
  if (peakOf(out, 0, span.length) <= top) return
  const reach = Math.round(LOWERED * source.sampleRate)
  for (const o of out)
    for (let n = 0; n < span.length; n++) {
      const v = o[n]!
      if (v <= top && -v <= top) continue
      const less = 1 - top / Math.abs(v)
      for (let i = Math.max(0, n - reach); i < Math.min(span.length, n + reach); i++) {
        const gain = 1 - less * Math.cos((Math.PI * (i - n)) / (2 * reach)) ** 2
        for (const x of out) x[i]! *= gain
      }
    }
}

/**
 * Renders a span by copying its attack and filling or shortening what follows.
 *
 * The output begins as the recording, sample for sample; what follows the attack is the recording too, for as long as
 * recording and output both last, but at the level that the map puts there: tails die away as much slower or faster as
 * they last longer or shorter, and have their own level when the next attack comes. The last few milliseconds fade into
 * the recording before it. Rests, and tails that are cut, keep the level that they were recorded at.
 *
 * Source: common practice in cutting percussion.
 */
export const hits: Method = (source, span, settings) => voiceOf(renderHits(source, span, settings))

function renderHits(source: Source, span: Span, settings: StretchSettings): Float32Array[] {
  const { from, to, length } = span
  const rate = source.sampleRate
  const out = source.channels.map(() => new Float32Array(length))
  const sourceLength = to - from
  const lead = span.joinsEnd ? Math.min(Math.round(LEAD * rate), sourceLength >> 2, length >> 2) : 0
  const body = sourceLength - lead
  const copied = Math.min(length, body)
  source.channels.forEach((c, i) => copyRange(c, from, from + copied, out[i]!))
  const gapEnd = length - lead
  const gain = mappedLevel(source, span, span.to - lead)
  const kept = Math.max(Math.round(LEAST_KEPT * rate), Math.round((body * settings.tail) / 100))
  const rest = Math.min(Math.round(REST_FADE * rate), copied >> 1)
  if (kept < copied) {
    fadeOut(out, kept - Math.min(rest, kept >> 1), Math.min(rest, kept >> 1))
    for (const o of out) o.fill(0, kept)
  } else if (copied < gapEnd) {
    const loop = loopOf(source, span, from + copied - 1)
    const at = loop.to + 1 - from
    if (settings.fill === 'rest') {
      fadeOut(out, copied - rest, rest)
    } else {
      applyGain(out, 0, at, from, gain)
      const fill = settings.fill === 'mirror' ? fillMirror : fillRepeat
      fill(source, loop, out, at, length, gain)
      makeUp(source, span, out)
      keepPeak(source, span, out)
    }
  } else if (copied < length || length < body) {
    // Squeezed: what the fade below starts from is the recording running on.
    source.channels.forEach((c, i) => copyRange(c, from + copied, from + length, out[i]!, copied))
    applyGain(out, 0, length, from, gain)
    makeUp(source, span, out)
    keepPeak(source, span, out)
  }
  crossfadeTo(out, gapEnd, lead, source.channels, to - lead)
  return out
}
