// Which hypotheses of a recording's beats, meter and bars are right.
import type { Piece } from '../corpus/types'
import type { Ranked } from './ranking'
import { onsetScore } from '../../tests/support/measure'
import { measure } from '../../src/core/analysis/analyse'
import { hypotheses, type Hypotheses } from '../../src/core/analysis/beats/hypotheses'
import { rhythmOf } from '../../src/core/analysis/beats/rhythm'
import { chroma } from '../../src/core/analysis/harmony/chroma'
import { mainSource } from '../../src/core/analysis/source'

/** 1 where a hypothesis has the beats, the meter and the bars right. */
function rightOnes(p: Piece, h: Hypotheses): number[] {
  const levels = h.levels.map((l) => {
    const { f } = onsetScore(p.beats!, l.beats, 0.07)
    return f > 0.8 && Math.abs(l.beats.length / p.beats!.length - 1) < 0.25
  })
  return h.list.map(({ level, beatsPerBar, phase }) => {
    if (!levels[level] || beatsPerBar !== p.meter!.beatsPerBar) return 0
    const ones = h.levels[level]!.beats.filter((_, i) => i >= phase && (i - phase) % beatsPerBar === 0)
    return onsetScore(p.downbeats!, ones, 0.07).f > 0.75 ? 1 : 0
  })
}

/** A recording's hypotheses and which are right. @param p with its beats and bars known */
export function rankedOf(p: Piece): Ranked {
  const { curve, transients } = measure(p.channels, p.sampleRate)
  const harmony = chroma(mainSource(p.channels, p.sampleRate))
  const rhythm = rhythmOf(curve, transients, p.sampleRate, p.channels[0]!.length)
  const h = hypotheses(rhythm, harmony)
  return { features: h.list.map((x) => x.features), right: rightOnes(p, h) }
}
