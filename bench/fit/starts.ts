// Examples for the network that chooses the rise of level at which an attack begins.
import type { Ranked } from './ranking'
import type { Piece } from '../corpus/types'
import { measure } from '../../src/core/analysis/analyse'
import { brillianceRise } from '../../src/core/analysis/brilliance'
import { findCandidates, levelRise, pitchAtFrames, pitchStep } from '../../src/core/analysis/candidates'
import { risesNear } from '../../src/core/analysis/start-rises'

/** A recording whose events begin at known places; swells where those are not sharp. */
export type StartPiece = Pick<Piece, 'channels' | 'sampleRate' | 'onsets'> & { readonly swells: boolean }

/** Frames have an onset within so many seconds; a rise within so many of it is the right one, struck or swelling. */
const NEAR = 0.045
const RIGHT = 0.004
const RIGHT_OF_SWELLS = 0.012

/**
 * The rises near every onset that frames have, and which of them are right. What frames have twice is to be put at one
 * place, so both count.
 */
export function startSets(p: StartPiece): Ranked[] {
  const { channels, sampleRate } = p
  const { curve, held } = measure(channels, sampleRate)
  const step = pitchStep(pitchAtFrames(held, curve, sampleRate))
  const right = p.swells ? RIGHT_OF_SWELLS : RIGHT
  return findCandidates(curve, step, levelRise(curve.level), brillianceRise(curve.top)).flatMap((c) => {
    if (c.cause !== 'flux') return []
    const around = Math.max(0, c.frame * curve.hop + curve.offset)
    const away = (onset: number): number => Math.abs(onset - around / sampleRate)
    const onset = p.onsets.reduce((a, b) => (away(b) < away(a) ? b : a), Infinity)
    const rises = risesNear(channels, around, sampleRate)
    if (away(onset) > NEAR || rises.length === 0) return []
    return [
      {
        features: rises.map((r) => r.features),
        right: rises.map((r) => (Math.abs(r.at / sampleRate - onset) < right ? 1 : 0)),
      },
    ]
  })
}
