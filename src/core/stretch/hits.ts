// Hits: every attack sample for sample from the recording; only the tail after it is shortened or filled.
import { peak, scaleAlong } from '../dsp/energy'
import { copyRange } from '../dsp/signal'
import { keepPower, mappedEnergy } from './body-gain'
import { voiceOf } from './copy'
import { levelCourse } from './course'
import { crossfadeTo, fadeOut } from './joins'
import { fillTail, type Loudness } from './tails'
import { atRises } from './unmarked'
import type { Method, Source, Span, StretchSettings } from './types'

/** Crossfade into the recording's last moments before the next attack, seconds. */
const LEAD = 0.004
/** What a sound keeps at least, whatever the tail setting, seconds. */
const LEAST_KEPT = 0.025
const REST_FADE = 0.012

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

/** Most that a tail makes up for its attack, as factors: 0.9 dB softer where sounds are squeezed, 3.5 dB louder. */
const TAIL_SOFTER = 1 / 1.109
const TAIL_LOUDER = 1.5

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

/** Multiplies samples [at, end), which are output sample `first` and following, read from `place` on either way, by the gain. */
function applyGain(
  out: readonly Float32Array[],
  at: number,
  end: number,
  first: number,
  place: number,
  gain: Gain,
  way: 1 | -1 = 1,
): void {
  if (end <= at) return
  const gainAt = (n: number): number => gain(first + n - at, place + way * (n - at))
  const gains: number[] = []
  for (let n = at; n < end; n += GAIN_STEP) gains.push(gainAt(n))
  // The last line ends where the samples do.
  const rest = (end - at) % GAIN_STEP || GAIN_STEP
  const last = gains[gains.length - 1]!
  gains.push(last + ((gainAt(end) - last) * GAIN_STEP) / rest)
  for (const o of out) scaleAlong(o, at, end, gains, GAIN_STEP)
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

/** So many samples are looked through at a time. */
const SCANNED = 1024

/** Keeps what is filled and made louder, a click in a tail say, from being louder than anything of the span was. */
function keepPeak(source: Source, span: Span, out: readonly Float32Array[]): void {
  const peakOf = (channels: readonly Float32Array[], from: number, to: number): number =>
    channels.reduce((top, x) => Math.max(top, peak(x, Math.max(0, from), Math.min(x.length, to))), 0)
  const top = peakOf(source.channels, span.from, span.to)
  if (peakOf(out, 0, span.length) <= top) return
  const reach = Math.round(LOWERED * source.sampleRate)
  const lower = (n: number, loud: number): void => {
    const less = 1 - top / loud
    for (let i = Math.max(0, n - reach); i < Math.min(span.length, n + reach); i++) {
      const gain = 1 - less * Math.cos((Math.PI * (i - n)) / (2 * reach)) ** 2
      for (const x of out) x[i]! *= gain
    }
  }
  for (const o of out)
    for (let at = 0; at < span.length; at += SCANNED) {
      const end = Math.min(span.length, at + SCANNED)
      if (peak(o, at, end) <= top) continue
      for (let n = at; n < end; n++) if (Math.abs(o[n]!) > top) lower(n, Math.abs(o[n]!))
    }
}

/**
 * Renders a span by copying its attack and filling or shortening what follows.
 *
 * The output begins as the recording, sample for sample, and so does every stroke in it that nobody marked. What follows
 * is the recording too, read back and forth or jumping back to last longer, jumping on to be shorter, so that it is never
 * far from where the map puts it: it has the colour of its place, and gains give it the level. Tails die away as much
 * slower or faster as they last longer or shorter, and have their own level when the next attack comes. The last few
 * milliseconds fade into the recording before it. Rests, and tails that are cut, keep the level that they were recorded at.
 *
 * Source: common practice in cutting percussion; where reading goes on after a jump or a turn, as in W. Verhelst &
 * M. Roelands, "An overlap-add technique based on waveform similarity (WSOLA)", ICASSP 1993.
 */
export const hits: Method = (source, span, settings) =>
  atRises(source, span, (part) => voiceOf(renderHits(source, part, settings)))

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
  const loudness: Loudness = (x, at, end, n, place, way) => applyGain(x, at, end, n, place, gain, way)
  const kept = Math.max(Math.round(LEAST_KEPT * rate), Math.round((body * settings.tail) / 100))
  const rest = Math.min(Math.round(REST_FADE * rate), copied >> 1)
  if (kept < copied) {
    fadeOut(out, kept - Math.min(rest, kept >> 1), Math.min(rest, kept >> 1))
    for (const o of out) o.fill(0, kept)
  } else if (copied < gapEnd) {
    if (settings.fill === 'rest') {
      fadeOut(out, copied - rest, rest)
    } else {
      fillTail(source, span, from + copied - 1, settings.fill === 'mirror', out, length, loudness)
      makeUp(source, span, out)
      keepPeak(source, span, out)
    }
  } else if (copied < length || length < body) {
    fillTail(source, span, from + body - 1, false, out, length, loudness)
    makeUp(source, span, out)
    keepPeak(source, span, out)
  }
  crossfadeTo(out, gapEnd, lead, source.channels, to - lead)
  return out
}
