// What rings on through attacks, as the span before one leaves it to the span after it.
import { openLayer, type Turned } from './layer'
import { remembered } from './remembered'
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
  const size = 2 ** Math.round(Math.log2(FRAME * source.sampleRate))
  const layer = openLayer(source, span, size)
  const reach = Math.ceil((before + after) / 2)
  const around = layer.turned(span.to - before + reach, reach, turned)
  layer.close()
  return { turned, around, before }
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
