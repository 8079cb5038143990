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
 * Two bands of a recording that part where its pitches waver too fast for long windows, with windows half as long for the
 * upper; a quarter as long where it wavers too fast for those.
 *
 * @param seconds length of the long windows; @returns undefined where nothing wavers
 */
export function framesWhereWavering(source: Source, span: Span, seconds: number): Frames | undefined {
  const look = (length: number, edges: readonly number[], alone: boolean): readonly boolean[] =>
    wavers(source, span, frameFor(length, source.sampleRate), edges, alone)
  const [low, high] = look(seconds, [LOW, HIGH], false)
  if (!low && !high) return undefined
  const [fast] = look(seconds / 2, [HIGH], true)
  return { seconds: [seconds, seconds / (fast ? 4 : 2)], parted: low ? partedLow : partedHigh }
}
