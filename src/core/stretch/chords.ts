// Chords: a phase vocoder between attacks; the attacks themselves are the recording's own samples.
import { copyRange } from '../dsp/signal'
import { keepPower, mappedEnergy, slightly } from './body-gain'
import { rangeOf } from './copy'
import { attackLength } from './heads'
import { hits } from './hits'
import { crossfadeTo } from './joins'
import { OVERLAP } from './layer-room'
import { frameFor, leave, leftBy, ringingAt, shiftedAt, tonesAt, type Ringing } from './ringing'
import type { Tones } from './tones'
import { framesWhereWavering, type FramesOf } from './parting'
import { vocoder, type Band, type Layout } from './vocoder'
import type { Beside } from './sliding'
import type { Method, Quality, Readable, Source, Span, StretchSettings, Voice } from './types'

/** A recording as it is. */
const plain = ({ sampleRate, channels }: Source): Readable => ({
  sampleRate,
  count: channels.length,
  length: channels[0]!.length,
  read: (c, from, to, out, at) => void copyRange(channels[c]!, from, to, out, at),
})

/** Window, seconds: long enough to part the lowest partials of a guitar. */
const WINDOW: Record<Quality, number> = { fine: 0.066, draft: 0.033 }
const LEAST_WINDOW = 256
/** A span has as many windows at least, in the recording and in the output: shorter ones tell the notes of a chord from each other less well. */
const LEAST_FRAMES = 1.2
/** Verbatim recording after an attack, the crossfade at its end included, ms: as long as it takes, a quick strum at most. */
const LEAST_HEAD = 19
const HEAD = 24
const HEAD_FADE = 4
/** Crossfade into the recording before an attack, and what is verbatim between the two, ms. */
const TAIL_FADE = 10
const TAIL = 1.5

/**
 * In spans up to this long few frames lie apart from both attacks, so that nothing keeps the level of their bodies; it is
 * put right afterwards. Over so much its gain goes in and out; seconds.
 */
const SHORT = 0.5
const RAMP = 0.008

/** Power of two nearest to some seconds, or the largest that fits a span; undefined when none does. */
function sizeFor(seconds: number, span: Span, rate: number): number | undefined {
  const shortest = Math.min(span.length, span.to - span.from)
  let size = 2 ** Math.round(Math.log2(seconds * rate))
  while (size > shortest / LEAST_FRAMES && size > LEAST_WINDOW) size /= 2
  return size > shortest / LEAST_FRAMES ? undefined : size
}

/** @param longest, shortest frames of any band, samples */
function layoutOf(source: Source, span: Span, longest: number, shortest: number): Layout {
  const hop = longest / OVERLAP
  const ms = source.sampleRate / 1000
  const attack = (): number =>
    Math.round(1000 * attackLength(source, span.from, LEAST_HEAD / 1000, HEAD / 1000) * ms)
  const head = span.attackAtStart
    ? Math.min(Math.max(shortest / 2, longest / 4), attack())
    : span.joinsStart
      ? hop
      : 0
  const headFade = Math.min(head, span.attackAtStart ? Math.round(HEAD_FADE * ms) : hop)
  const tail = span.attackAtEnd && span.joinsEnd ? Math.min(Math.round(TAIL * ms), hop >> 1) : 0
  const tailFade = !span.joinsEnd
    ? 0
    : span.attackAtEnd
      ? Math.min(Math.round(TAIL_FADE * ms), hop)
      : longest / 4
  return { head, headFade, tailFade, tail }
}

/**
 * Renders a span with a phase vocoder.
 *
 * The first milliseconds of the attack at its start are copied; then frames go on in phase from it, which read nothing
 * of that attack and nothing of the next. Every frame's phases advance by what the recording's phases advance over one
 * output hop at that place, so the map may change its slope anywhere. The end fades into the recording before the next
 * knot.
 *
 * Source: J. Laroche & M. Dolson, IEEE Trans. SAP 7(3), 1999 (phases: dsp/kernels/assembly/phases.ts); attacks kept apart as in C. Duxbury, M. Davies &
 * M. Sandler, "Improved time-scaling of musical audio using phase locking at transients", AES 112th Conv., 2002.
 */
export const chords: Method = (source, span, settings) => vocoded(source, span, settings, framesOf)

const framesOf: FramesOf = (source, span, quality) => {
  const long = WINDOW[quality]
  const found = quality === 'fine' ? framesWhereWavering(source, span, long) : undefined
  return found ?? { seconds: [long] }
}

/** The same with given frames. */
export function vocoded(source: Source, span: Span, settings: StretchSettings, framesOf: FramesOf): Voice {
  const { sampleRate } = source
  const { seconds, parted } = framesOf(source, span, settings.quality)
  const sizes = seconds.map((s) => sizeFor(s, span, sampleRate))
  const [first, last] = [sizes[0], sizes[sizes.length - 1]]
  if (first && last) {
    const layout = layoutOf(source, span, first, last)
    const whole = plain(source)
    const shifted = shiftedEnds(source, span, seconds[0]!)
    const short = first < frameFor(seconds[0]!, sampleRate)
    const ends: Ends = {
      start: startOf(source, span, settings, framesOf) ?? shifted.start,
      end: shifted.end,
      tones: short && span.joinsEnd ? tonesAt(source, whole, seconds[0]!, span.to) : undefined,
    }
    // With windows of one length there is nothing to part.
    if (!parted || first === last)
      return chordsVoice(source, [{ source: whole, size: first }], 0, span, settings, layout, ends)
    const { low, high, cutoff } = parted(source)
    const bands = [
      { source: low, size: first },
      { source: high, size: last },
    ]
    return chordsVoice(source, bands, cutoff, span, settings, layout, ends)
  }
  // Too short for a window: so short that it can be read as a whole.
  const margin = Math.round(0.01 * sampleRate)
  const channels = rangeOf(plain(source), span.from - margin, span.to + margin)
  const inside = { ...span, from: margin, to: margin + span.to - span.from }
  return hits({ sampleRate, channels }, inside, { ...settings, fill: 'mirror', tail: 100 })
}

/** What rings on at a span's ends as if it had sounded for longer. @param seconds length of the longest frames */
function shiftedEnds(
  source: Source,
  { from, to, shiftAtStart, shiftAtEnd }: Span,
  seconds: number,
): { readonly start: Ringing | undefined; readonly end: Ringing | undefined } {
  const at = (place: number, by?: number): Ringing | undefined =>
    by ? shiftedAt(source, plain(source), seconds, place, by) : undefined
  return { start: at(from, shiftAtStart), end: at(to, shiftAtEnd) }
}

/** What lies beside a span: the recording, with what rings on turned. */
export const besideWith =
  (windows: Readonly<Record<Quality, number>>) =>
  (source: Source, span: Span, quality: Quality): Beside => {
    const { start, end } = shiftedEnds(source, span, windows[quality])
    return {
      before: start?.around.map((x) => x.subarray(0, start.before)),
      after: end?.around.map((x) => x.subarray(end.before)),
    }
  }

/** With Chords. */
export const besideChords = besideWith(WINDOW)

/** Samples made at a time of spans that only lead to another. */
const AT_ONCE = 16384

/** What rings on from the span before; undefined when nothing does. */
function startOf(
  source: Source,
  { lead }: Span,
  settings: StretchSettings,
  framesOf: FramesOf,
): Ringing | undefined {
  if (!lead) return undefined
  return leftBy(source, lead, settings, () => {
    const voice = vocoded(source, lead, settings, framesOf)
    const block = source.channels.map(() => new Float32Array(AT_ONCE))
    for (let left = lead.length; left > 0; left -= AT_ONCE) voice.pull(block, 0, Math.min(AT_ONCE, left))
  })
}

/** What rings on at a span's ends. */
interface Ends {
  readonly start: Ringing | undefined
  readonly end: Ringing | undefined
  /** Of the recording at the span's end, where the span's frames are shorter than they should. */
  readonly tones: Tones | undefined
}

function chordsVoice(
  recording: Source,
  bands: readonly Band[],
  cutoff: number,
  span: Span,
  settings: StretchSettings,
  l: Layout,
  { start, end, tones }: Ends,
): Voice {
  const source = plain(recording)
  const channelCount = source.count
  const body = vocoder(bands, cutoff, span, l, {
    start: start?.turned,
    end: end?.turned,
    tones,
  })
  const planar = (n: number) => Array.from({ length: channelCount }, () => new Float32Array(n))
  const tailStart = span.length - l.tail - l.tailFade
  let position = 0
  let head: Float32Array[] | undefined
  let ending: Float32Array[] | undefined

  /** The head: verbatim, fading into the body at its end. */
  const readHead = (out: readonly Float32Array[], at: number, count: number): void => {
    const stretched = planar(count)
    body.read(stretched, 0, count)
    head ??= start
      ? start.around.map((x) => x.subarray(start.before, start.before + l.head))
      : rangeOf(source, span.from, span.from + l.head)
    const whole = Math.max(0, Math.min(count, l.head - l.headFade - position))
    out.forEach((o, c) => {
      const [verbatim, body] = [head![c]!, stretched[c]!]
      o.set(verbatim.subarray(position, position + whole), at)
      for (let i = whole; i < count; i++) {
        // In phase by construction, so gains that sum to one.
        const x = (position + i - (l.head - l.headFade) + 0.5) / l.headFade
        o[at + i] = (1 - x) * verbatim[position + i]! + x * body[i]!
      }
    })
  }

  /** The recording from a sample to the span's end, with what rings on there turned as it sounds. */
  const ended = (from: number): Float32Array[] => {
    const before = span.to - from
    if (end) return end.around.map((x) => x.subarray(end.before - before, end.before))
    if (!span.ringsOn) return rangeOf(source, from, span.to)
    const ringing = ringingAt(
      source,
      span,
      body.ending(),
      before,
      Math.round((HEAD * source.sampleRate) / 1000),
    )
    leave(recording, span, settings, ringing)
    return ringing ? ringing.around.map((x) => x.subarray(0, before)) : rangeOf(source, from, span.to)
  }

  /** Everything from `tailStart` on, made at once since the fade's gains depend on all of it. */
  const makeEnding = (): Float32Array[] => {
    const out = planar(l.tailFade + l.tail)
    body.read(out, 0, l.tailFade)
    const recorded = ended(span.to - l.tail - l.tailFade)
    crossfadeTo(out, 0, l.tailFade, recorded, 0)
    recorded.forEach((x, c) => out[c]!.set(x.subarray(l.tailFade), l.tailFade))
    return out
  }

  const read = (out: readonly Float32Array[], at: number, count: number): void => {
    for (let done = 0; done < count;) {
      const left = count - done
      if (position < l.head) {
        const n = Math.min(left, l.head - position)
        readHead(out, at + done, n)
        position += n
        done += n
      } else if (position < tailStart) {
        const n = Math.min(left, tailStart - position)
        body.read(out, at + done, n)
        position += n
        done += n
      } else {
        ending ??= makeEnding()
        const from = position - tailStart
        ending.forEach((x, c) => out[c]!.set(x.subarray(from, from + left), at + done))
        position += left
        done += left
      }
    }
  }
  if (!span.attackAtStart || span.length > SHORT * source.sampleRate) return { pull: read }

  /** All of a short span, which is as loud as it should be by what came of it. */
  const makeWhole = (): Float32Array[] => {
    const whole = planar(span.length)
    read(whole, 0, span.length)
    const wanted = mappedEnergy(recording.channels, span)
    keepPower(whole, wanted, l.head, span.length - l.tail, Math.round(RAMP * source.sampleRate), slightly)
    return whole
  }
  let whole: Float32Array[] | undefined
  let given = 0
  return {
    pull(out, at, count) {
      whole ??= makeWhole()
      whole.forEach((x, c) => out[c]!.set(x.subarray(given, given + count), at))
      given += count
    },
  }
}
