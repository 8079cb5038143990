// The reach of a move: how far it stretches the audio around the note.
import type { Samples } from '../../../core/units'

export const REACHES = ['neighbours', 'pins', 'range'] as const
export type ReachKind = (typeof REACHES)[number]

export const REACH_HELP: Record<ReachKind, string> = {
  neighbours: 'Only up to the transients on either side; everything else stays.',
  pins: 'Up to the next pins, or the clip’s ends; a gentler stretch over more audio.',
  range: 'Up to the ends of the selected range.',
}

/** What a move bends: recording places that hold on either side (undefined: the clip's end). */
export interface Reach {
  readonly before: Samples | undefined
  readonly after: Samples | undefined
}

/**
 * Places that hold when a note is moved.
 *
 * @param kind   how far the move reaches
 * @param source the note's attack
 * @param notes  attacks of the clip, rising; @param pins pinned places, rising
 * @param range  selected range as recording places
 */
export function reachOf(
  kind: ReachKind,
  source: number,
  notes: readonly Samples[],
  pins: readonly Samples[],
  range: { readonly from: Samples; readonly to: Samples } | null,
): Reach {
  const beside = (places: readonly Samples[]): Reach => ({
    before: places.filter((p) => p < source).at(-1),
    after: places.find((p) => p > source),
  })
  const byPins = beside(pins)
  if (kind === 'pins') return byPins
  if (kind === 'range' && range && range.from < source && range.to > source) {
    // A pin inside the range is a promise and still ends the reach.
    return {
      before: byPins.before !== undefined && byPins.before > range.from ? byPins.before : range.from,
      after: byPins.after !== undefined && byPins.after < range.to ? byPins.after : range.to,
    }
  }
  return beside([...new Set([...notes, ...pins])].sort((a, b) => a - b))
}

/** The places of a reach that have to be held. */
export const holdsOf = (r: Reach): Samples[] =>
  [r.before, r.after].filter((p): p is Samples => p !== undefined)
