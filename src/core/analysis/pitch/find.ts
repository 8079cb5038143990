// From candidates to the pitch line with its edges set right.
import type { PitchCandidates } from './candidates'
import { correctEdges } from './edges'
import { singleLine } from './single-line'
import { trackPitch, type Pitch } from './track'

/** The pitch line, and how far the recording is one note at a time (0-1). */
export function findPitch(c: PitchCandidates): { readonly pitch: Pitch; readonly singleLine: number } {
  const pitch = correctEdges(trackPitch(c), c.level)
  return { pitch, singleLine: singleLine(pitch, c.level) }
}
