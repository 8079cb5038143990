// What rings on through attacks, as the span before one leaves it to the span after it.
import { latest } from '../latest'
import { openLayer, type Layer, type Turned } from './layer'
import { OVERLAP } from './layer-room'
import { remembered } from './remembered'
import { Part } from './sorting'
import type { Tones } from './tones'
import type { Readable, Source, Span, StretchSettings, Toward } from './types'

export interface Ringing {
  /** How the recording sounds turned at the attack. */
  readonly turned: Turned
  /** The recording around the attack, turned like that: planar, from `before` samples before it on. */
  readonly around: readonly Float32Array[]
  readonly before: number
}

/** What a span leaves; undefined when nothing rings on. */
type Left = Ringing | undefined

/** More than follow each other within two seconds, as a rule; what is not kept any more is made again. */
const MOST = 96
/** For a recording, by span and settings. */
const left = remembered(() => latest<string, Left>(MOST))

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
export const frameFor = (seconds: number, rate: number): number => 2 ** Math.round(Math.log2(seconds * rate))

/** A span that ends at an attack, for looking at that. */
const endingAt = (place: number, size: number): Span => ({
  from: place - size,
  to: place,
  length: size,
  attackAtStart: false,
  attackAtEnd: true,
  joinsStart: true,
  joinsEnd: true,
})

/** For a recording, by place and length of frames. */
const knownTones = remembered(() => latest<string, Tones>(MOST))

/** Tones at a place. @param seconds length of frames */
export const tonesAt = (recording: Source, source: Readable, seconds: number, place: number): Tones =>
  knownTones(recording).of(`${place} ${seconds}`, () => findTones(source, seconds, place))

function findTones(source: Readable, seconds: number, place: number): Tones {
  const size = frameFor(seconds, source.sampleRate)
  const layer = openLayer(source, endingAt(place, size), size)
  const tones = tonesOf(layer, layer.sort(place), place, source.sampleRate)
  layer.close()
  return tones
}

/** Tones as a layer has them. @param parts as it has just sorted them at that place; @param rate samples per second */
export function tonesOf(layer: Layer, parts: Uint8Array, place: number, rate: number): Tones {
  const { size, turns } = layer
  // Drums alone have none.
  const some = parts.some((part, p) => part === Part.SAME && turns.peaks[p]! * rate < HIGHEST * size)
  const hz = some ? layer.frequencies(place) : new Float32Array(parts.length)
  return { size, ends: Float32Array.from(turns.ends.subarray(0, turns.count)), parts, hz }
}

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

/**
 * Tones that ring on, turned by an angle for their frequency in Hz.
 *
 * @param angleOf radians; undefined where it says nothing; @param other the turn of all else: 1 as in the recording, 0 when nothing is known
 */
function turnedBy(
  { size, ends, parts, hz }: Tones,
  angleOf: (hz: number) => number | undefined,
  other: 0 | 1,
): Turned {
  const by = new Float32Array(2 * ends.length)
  parts.forEach((part, p) => {
    const angle = part === Part.SAME && hz[p]! > 0 ? angleOf(hz[p]!) : undefined
    by[2 * p] = angle === undefined ? other : Math.cos(angle)
    by[2 * p + 1] = angle === undefined ? 0 : Math.sin(angle)
  })
  return { size, ends, by }
}

/** For a recording, by place, shift and length of frames. */
const shifted = remembered(() => latest<string, Left>(MOST))

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
  return shifted(recording).of(`${place} ${shift} ${seconds}`, () => {
    const rate = source.sampleRate
    const tones = tonesAt(recording, source, seconds, place)
    const turned = turnedBy(tones, (hz) => angleAfter(hz, shift / rate), 1)
    const reach = Math.max(Math.round(KNOT_REACH * rate), tones.size / OVERLAP)
    return ringingAt(source, endingAt(place, tones.size), turned, reach, reach)
  })
}

/**
 * How tones that ring on through a place are to be turned there, to be turned by themselves as they are told at the end of
 * spans to come. Of those that it says nothing of the turn is 0.
 *
 * @param rate samples per second
 */
export function turnedTowards(tones: Tones, { shift, rest }: Toward, rate: number): Turned {
  const angleOf = (hz: number): number | undefined =>
    hz > HIGHEST ? undefined : angleAfter(hz, shift / rate) - (2 * Math.PI * hz * rest) / rate
  return turnedBy(tones, angleOf, 0)
}

/** Keeps what a span leaves, until much else has been kept. */
export const leave = (recording: Source, span: Span, settings: StretchSettings, what: Left): void =>
  left(recording).set(keyOf(span, settings), what)

/** What the span before one left. @param render makes that span, if that was not done or is long ago; it leaves what rings on */
export function leftBy(recording: Source, lead: Span, settings: StretchSettings, render: () => void): Left {
  const known = left(recording)
  const key = keyOf(lead, settings)
  if (!known.has(key)) render()
  return known.of(key, () => undefined)
}
