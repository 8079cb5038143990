// Candidates for transients as examples: which of them are true starts, and what is measured of each.
import type { Example } from './network'
import type { Piece } from '../corpus/types'
import { ALIKE_NAMES, company } from '../../src/core/analysis/alike'
import { measure } from '../../src/core/analysis/analyse'
import { FEATURE_NAMES, featuresOf } from '../../src/core/analysis/features'
import { crowdOf, gather, type Gathered } from '../../src/core/analysis/transients'

/** A candidate this near to a true start may be it, seconds; nearer ones that are not it say nothing. */
const MATCH = 0.06
const DOUBTFUL = 0.035
/** But one this long before a sharp start is a wrong one: it would draw the start to itself. */
const EARLY = 0.01
/** Of two that are as near to a start, flux has it, then the top: so much nearer the others must be, seconds. */
const HANDICAP = { flux: 0, top: 0.01, step: 0.02, swell: 0.02 } as const
/** A beginning, seconds, and the flux over that of the recording from which on it is a loud one. */
const BEGINNING = 0.02
const LOUD = 0.15
const FLUX_OVER_ALL = FEATURE_NAMES.indexOf('flux over the recording')

type Unweighed = Omit<Example, 'weight'>

function gathered(p: Piece): Gathered {
  const { curve, held, singleLine } = measure(p.channels, p.sampleRate)
  return gather(curve, held, singleLine, p.sampleRate)
}

/** Of each candidate: 1 where it is a true start, found one to one, 0 where it is none, null where that is open. */
function truths(p: Piece, { candidates, times }: Gathered): (0 | 1 | null)[] {
  const pairs = p.onsets.flatMap((t, i) =>
    candidates.flatMap(({ cause }, j) => {
      const away = Math.abs(times[j]! - t)
      return away < MATCH ? [{ i, j, away: away + HANDICAP[cause] }] : []
    }),
  )
  pairs.sort((a, b) => a.away - b.away)
  const [usedTruth, right] = [new Set<number>(), new Set<number>()]
  for (const { i, j } of pairs)
    if (!usedTruth.has(i) && !right.has(j)) {
      usedTruth.add(i)
      right.add(j)
    }
  const early = p.kind === 'soft' || p.kind === 'sung' ? DOUBTFUL : EARLY
  return candidates.map((_, j) => {
    if (right.has(j)) return 1
    return p.onsets.some((t) => times[j]! - t < DOUBTFUL && t - times[j]! < early) ? null : 0
  })
}

/** Candidates of one piece, each by itself. */
export function examplesOf(p: Piece): Unweighed[] {
  const all = gathered(p)
  const right = truths(p, all)
  return all.candidates.flatMap((c, j) => {
    const y = right[j]!
    if (y === null) return []
    const x = new Float32Array(FEATURE_NAMES.length)
    featuresOf(c, all.context, x)
    // Where a recording was cut in the middle of a sound, its beginning says nothing of what starts out of silence.
    if (!y && all.times[j]! < BEGINNING && x[FLUX_OVER_ALL]! > LOUD) return []
    return [{ x, y }]
  })
}

/** Candidates of one piece, each among its like. */
export function alikeExamples(p: Piece): Unweighed[] {
  const all = gathered(p)
  const among = company(crowdOf(all, p.channels[0]!.length / p.sampleRate))
  return truths(p, all).flatMap((y, j) => {
    if (y === null) return []
    const x = new Float32Array(ALIKE_NAMES.length)
    among(j, x)
    return [{ x, y }]
  })
}
