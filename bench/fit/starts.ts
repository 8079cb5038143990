// Examples for the networks that say where an attack begins: at which rise of level, or at what place.
import type { Ranked } from './ranking'
import type { Piece } from '../corpus/types'
import { measure } from '../../src/core/analysis/analyse'
import { brillianceRise } from '../../src/core/analysis/brilliance'
import { findCandidates, levelRise, pitchAtFrames, pitchStep } from '../../src/core/analysis/candidates'
import { logOdds } from '../../src/core/analysis/judge'
import { heardAround, type Around } from '../../src/core/analysis/start-rises'
import { START_WEIGHTS } from '../../src/core/analysis/start-weights'
import type { Placed } from './places'

/** A recording whose events begin at known places; swells where those are not sharp. */
export type StartPiece = Pick<Piece, 'channels' | 'sampleRate' | 'onsets'> & { readonly swells: boolean }

/** Frames have an onset within so many seconds; a rise within so many of it is the right one, struck or swelling. */
const NEAR = 0.045
const RIGHT = 0.0025
const RIGHT_OF_SWELLS = 0.012

/** What is heard around an estimate of the frames', samples, and the onset near it, seconds. */
interface Heard {
  readonly around: number
  readonly onset: number
  readonly heard: Around
}

/** Every onset that frames have. What they have twice is to be put at one place, so both count. */
function heardOnsets({ channels, sampleRate, onsets }: Omit<StartPiece, 'swells'>): Heard[] {
  const { curve, held } = measure(channels, sampleRate)
  const step = pitchStep(pitchAtFrames(held, curve, sampleRate))
  return findCandidates(curve, step, levelRise(curve.level), brillianceRise(curve.top)).flatMap((c) => {
    if (c.cause !== 'flux') return []
    const around = Math.max(0, c.frame * curve.hop + curve.offset)
    const away = (onset: number): number => Math.abs(onset - around / sampleRate)
    const onset = onsets.reduce((a, b) => (away(b) < away(a) ? b : a), Infinity)
    if (away(onset) > NEAR) return []
    return [{ around, onset, heard: heardAround(channels, around, sampleRate) }]
  })
}

/** The rises near every onset that frames have, and which of them are right. */
export function startSets(p: StartPiece): Ranked[] {
  const right = p.swells ? RIGHT_OF_SWELLS : RIGHT
  return heardOnsets(p).flatMap(({ onset, heard: { rises } }) =>
    rises.length === 0
      ? []
      : [
          {
            features: rises.map((r) => r.features),
            right: rises.map((r) => (Math.abs(r.at / p.sampleRate - onset) < right ? 1 : 0)),
          },
        ],
  )
}

/** Log-odds of the likeliest rise from which on places need not be told otherwise. */
const SURE = 3

/** Onsets without a rise that is surely their start, and where they begin. */
export const placeExamples = (p: Omit<StartPiece, 'swells'>, weight: number): Placed[] =>
  heardOnsets(p).flatMap(({ around, onset, heard }) =>
    heard.rises.some((r) => logOdds(START_WEIGHTS, r.features) >= SURE)
      ? []
      : [{ x: heard.levels, late: onset - around / p.sampleRate, weight }],
  )
