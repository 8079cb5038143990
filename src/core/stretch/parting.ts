// With which frames a span is rendered, and where the recording is parted into bands for them.
import { bandsOf, type Bands } from './bands'
import { remembered } from './remembered'
import { frameFor } from './ringing'
import type { Quality, Source, Span } from './types'
import { wavers } from './wavering'

/** Lengths of windows, seconds: of the whole recording, or of its low and its high band; and these bands. */
export interface Frames {
  readonly seconds: readonly number[]
  readonly parted?: Parted | undefined
}

/** The bands of a recording. */
export type Parted = (source: Source) => Bands

/** With which frames a span is rendered. */
export type FramesOf = (source: Source, span: Span, quality: Quality) => Frames

/** Where bands part, Hz, as a rule, and where what is lower wavers too. */
const HIGH = 1500
const LOW = 750
const parted = (cutoff: number): Parted => remembered((source) => bandsOf(source, cutoff))

export const partedHigh = parted(HIGH)
const partedLow = parted(LOW)

/**
 * The bands of a recording that part where its pitches waver too fast for long windows, from there on up.
 *
 * @param seconds length of the long windows; @returns undefined where none waver
 */
export function partedAt(source: Source, span: Span, seconds: number): Parted | undefined {
  const [low, high] = wavers(source, span, frameFor(seconds, source.sampleRate), [LOW, HIGH])
  if (low) return partedLow
  return high ? partedHigh : undefined
}
