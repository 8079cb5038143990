// From candidates to the pitch line: the best path, its edges set right, its glides followed.
import type { Source } from '../source'
import { pitchCandidates, type PitchCandidates } from './candidates'
import { correctEdges } from './edges'
import { followGlides } from './glides'
import { believeStruck } from './struck'
import { singleLine } from './single-line'
import { trackPitch, type Pitch } from './track'

/** Least share of one clear pitch for a recording to be a line; strings that ring on make a line less clear. */
const LINE = 0.65
const RINGING_LINE = 0.5

export interface HeldPitch {
  /** The pitch line before glides are followed: lost where two notes meet, which is evidence of a new one. */
  readonly held: Pitch
  /** How far the recording is one note at a time, 0-1. */
  readonly singleLine: number
}

/** Whether a recording is a line of single notes. */
export const isLine = ({ singleLine }: HeldPitch): boolean => singleLine >= LINE

/** The pitch line before glides are followed; it can be had without the audio. */
export function heldPitch(c: PitchCandidates): HeldPitch {
  const held = correctEdges(trackPitch(c), c.level)
  return { held, singleLine: singleLine(held, c.level) }
}

/**
 * The pitch line with notes struck into others' ringing, and with its glides.
 *
 * @param attacks transients in force, seconds
 * @param source  gives the one channel that the candidates were made of; asked for only in single lines
 */
export function finishedPitch(
  { held, singleLine }: HeldPitch,
  c: PitchCandidates,
  attacks: readonly number[],
  source: () => Source,
): Pitch {
  if (singleLine < RINGING_LINE) return held
  const believed = believeStruck(c, held, attacks, source())
  const line = believed === c ? held : correctEdges(trackPitch(believed), c.level)
  // Where several notes sound at once the line leaps between them; no glide is behind that.
  return singleLine < LINE ? line : followGlides(line, c, source())
}

/** The pitch line of one channel without its attacks known. */
export function pitchLine(source: Source): Pitch {
  const c = pitchCandidates(source)
  return finishedPitch(heldPitch(c), c, [], () => source)
}
