// From candidates to the pitch line: the best path, its edges set right, its glides followed.
import type { Source } from '../source'
import { pitchCandidates, type PitchCandidates } from './candidates'
import { correctEdges } from './edges'
import { followGlides } from './glides'
import { singleLine } from './single-line'
import { trackPitch, type Pitch } from './track'

/** Least share of one clear pitch for a recording to be a line. */
const LINE = 0.65

export interface FoundPitch {
  readonly pitch: Pitch
  /** The same before glides are followed: lost where two notes meet, which is evidence of a new one. */
  readonly held: Pitch
  /** How far the recording is one note at a time, 0-1. */
  readonly singleLine: number
}

/**
 * The pitch line of a recording.
 *
 * @param source the one channel that the candidates were made of
 */
export function findPitch(c: PitchCandidates, source: Source): FoundPitch {
  const held = correctEdges(trackPitch(c), c.level)
  const clear = singleLine(held, c.level)
  // Where several notes sound at once the line leaps between them; no glide is behind that.
  return { pitch: clear < LINE ? held : followGlides(held, c, source), held, singleLine: clear }
}

/** The pitch line of one channel. */
export const pitchLine = (source: Source): Pitch => findPitch(pitchCandidates(source), source).pitch
