// Recordings that begin right before a note, as cut ones do: their own beginning is no note.
import { chance } from '../corpus/chance'
import type { Piece } from '../corpus/types'

/** Most that comes before the first note, and what is left after that, seconds. */
const LEAD = 0.15
const LENGTH = 2.5
/** How often a piece is cut. */
export const CUTS = 4

/** A piece cut several times to a little from shortly before one of its notes on. Only its onsets stay. */
export function cutShort(p: Piece, seed: number): Piece[] {
  const random = chance(seed)
  const onsets = [...p.onsets].sort((a, b) => a - b)
  return Array.from({ length: CUTS }, () => {
    const first = onsets[random.whole(0, onsets.length - 1)] ?? 0
    const from = Math.max(0, Math.round((first - random.between(0, LEAD)) * p.sampleRate))
    const start = from / p.sampleRate
    const channels = p.channels.map((x) => x.slice(from, from + LENGTH * p.sampleRate))
    const kept = onsets.filter((t) => t >= start && t < start + LENGTH - 0.05).map((t) => t - start)
    const { name, kind, sampleRate } = p
    return { name, kind, loop: false, sampleRate, channels, onsets: kept }
  })
}
