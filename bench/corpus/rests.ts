// Loops whose first sounds are taken away: they begin with a rest.
import { loopsFrom } from './corpus'
import type { Piece } from './types'

/** Rests at the beginning, beats. */
const RESTS = [0.5, 1] as const
/** What rang before comes in this long before the rest ends, and over this long, seconds. */
const EARLIER = 0.012
const FADE = 0.005

/** A loop without what begins in its first beats; beats of silence are nobody's truth. */
export function rested(p: Piece, beats: number): Piece {
  const rest = (60 / p.bpm!) * beats
  const from = Math.round((rest - EARLIER) * p.sampleRate)
  const fade = Math.round(FADE * p.sampleRate)
  const channels = p.channels.map((x) => x.map((v, i) => v * Math.max(0, Math.min(1, (i - from) / fade))))
  const later = (times: readonly number[]): number[] => times.filter((t) => t > rest - EARLIER)
  return {
    ...p,
    channels,
    onsets: later(p.onsets),
    beats: later(p.beats!),
    downbeats: later(p.downbeats!),
  }
}

/** Makers of all loops of a seed with a rest of half a beat, and with one of a beat. */
export const restsFrom = (base: number): (() => Piece)[] =>
  loopsFrom(base).flatMap((make) => RESTS.map((rest) => () => rested(make(), rest)))
