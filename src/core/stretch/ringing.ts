// What rings on through attacks, as the span before one leaves it to the span after it.
import { openLayer, OVERLAP, type Turned } from './layer'
import { remembered } from './remembered'
import { Part } from './sorting'
import type { Readable, Source, Span, StretchSettings } from './types'

export interface Ringing {
  /** How the recording sounds turned at the attack. */
  readonly turned: Turned
  /** The recording around the attack, turned like that: planar, from `before` samples before it on. */
  readonly around: readonly Float32Array[]
  readonly before: number
}

/** What a span leaves; undefined when nothing rings on. */
type Left = Ringing | undefined

/** For a recording, by span and settings. */
const left = remembered(() => new Map<string, Left>())
/** More than follow each other within two seconds, as a rule; what is not kept any more is made again. */
const MOST = 96

const keyOf = (span: Span, { method, quality }: StretchSettings): string =>
  `${span.ringsOn} ${method} ${quality}`

/** Turned recording is made in frames of about this length, seconds, which are even over what is used of it. */
const FRAME = 0.093

/**
 * What rings on at a span's end.
 *
 * @param turned parts of the spectrum there
 * @param before, after samples around it that are wanted of the recording
 * @returns undefined when no part is turned
 */
export function ringingAt(
  source: Readable,
  span: Span,
  turned: Turned | undefined,
  before: number,
  after: number,
): Left {
  if (!turned || turned.by.every((v, i) => v === 1 - (i & 1))) return undefined
  const layer = openLayer(source, span, frameFor(FRAME, source.sampleRate))
  const reach = Math.ceil((before + after) / 2)
  const around = layer.turned(span.to - before + reach, reach, turned)
  layer.close()
  return { turned, around, before }
}

/** Length of frames, samples. */
const frameFor = (seconds: number, rate: number): number => 2 ** Math.round(Math.log2(seconds * rate))

/** Turned recording is made for so long on either side of a knot, seconds, or for a hop: as long as heads, and fades to what is before one. */
const KNOT_REACH = 0.024

/** Over so much a tone turns by its pitch as found, seconds. */
const AS_FOUND = 0.125
/** Standard pitch, Hz (ISO 16), and steps an octave of equal temperament: quarter tones, as loops may lie between half tones. */
const A4 = 440
const STEPS = 24
/** Higher tones are as in the recording, Hz: what it takes to come back to that, half a turn at most, is no pitch that anyone hears. */
const HIGHEST = 1000

/**
 * Angle that a tone turns by in a time, radians.
 *
 * Over a long time what is beside its pitch as found would turn far, and by another angle at the next knot, where it is
 * found anew. So it turns by its pitch as found over the first moment, and by the nearest quarter tone over all the rest,
 * which is the same at both.
 */
function angleAfter(hz: number, seconds: number): number {
  if (hz > HIGHEST) return 0
  const found = Math.max(-AS_FOUND, Math.min(AS_FOUND, seconds))
  const nearest = A4 * 2 ** (Math.round(STEPS * Math.log2(Math.max(1, hz) / A4)) / STEPS)
  const turns = hz * found + nearest * (seconds - found)
  return 2 * Math.PI * (turns - Math.round(turns))
}

/** For a recording, by place, shift and length of frames. */
const shifted = remembered(() => new Map<string, Left>())

/**
 * What rings on through a place as if it had sounded for longer, or shorter.
 *
 * Tones that an attack there does not raise turn by their own frequency; all else is as in the recording. Nothing but the place
 * itself has a say.
 *
 * @param seconds length of frames
 * @param shift by how much longer, samples
 */
export function shiftedAt(
  recording: Source,
  source: Readable,
  seconds: number,
  place: number,
  shift: number,
): Left {
  const known = shifted(recording)
  const key = `${place} ${shift} ${seconds}`
  if (known.has(key)) return known.get(key)
  const rate = source.sampleRate
  const size = frameFor(seconds, rate)
  const span: Span = {
    from: place - size,
    to: place,
    length: size,
    attackAtStart: false,
    attackAtEnd: true,
    joinsStart: true,
    joinsEnd: true,
  }
  const layer = openLayer(source, span, size)
  const parts = layer.sort(place)
  layer.turnBy(place, (hz) => angleAfter(hz, shift / rate))
  const turned = layer.met((p) => parts[p] === Part.SAME)
  layer.close()
  const reach = Math.max(Math.round(KNOT_REACH * rate), size / OVERLAP)
  const made = ringingAt(source, span, turned, reach, reach)
  known.set(key, made)
  if (known.size > MOST) known.delete(known.keys().next().value!)
  return made
}

/** Keeps what a span leaves, until much else has been kept. */
export function leave(recording: Source, span: Span, settings: StretchSettings, what: Left): void {
  const known = left(recording)
  known.set(keyOf(span, settings), what)
  if (known.size > MOST) known.delete(known.keys().next().value!)
}

/** What the span before one left. @param render makes that span, if that was not done or is long ago */
export function leftBy(recording: Source, lead: Span, settings: StretchSettings, render: () => void): Left {
  const known = left(recording)
  const key = keyOf(lead, settings)
  if (!known.has(key)) render()
  return known.get(key)
}
