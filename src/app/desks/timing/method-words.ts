// Methods in words.
import type { Fill, MethodName } from '../../../core/stretch/types'

export const METHOD_LABELS: Record<MethodName, string> = {
  hits: 'Hits',
  line: 'Line',
  chords: 'Chords',
  mix: 'Mix',
  grains: 'Grains',
  tape: 'Tape',
  cuts: 'Cuts',
}

export const METHOD_HELP: Record<MethodName, string> = {
  hits: 'Every attack stays as recorded; only the gap after it is filled or shortened. For drums and percussion.',
  line: 'One note at a time keeps its wave shape. For voice, bass and leads.',
  chords: 'Partials stay in tune and in phase, attacks stay sharp. For guitar, piano and strings.',
  mix: 'Attacks and tones are treated apart. For whole songs.',
  grains: 'Small overlapping grains keep density and colour. For pads and textures.',
  tape: 'Pitch follows speed, as a tape does.',
  cuts: 'Slices move without stretching; gaps are covered by their neighbours.',
}

export const FILL_HELP: Record<Fill, string> = {
  mirror: 'The sound runs back and forth in small steps, never far from its place.',
  repeat: 'The sound jumps back a little, again and again, never far from its place.',
  rest: 'The gap stays silent.',
}
