// Tempo, drift and length in words and figures.
import type { TempoCandidate } from '../../../core/analysis/beats/track'
import type { StatedTempo } from '../../../core/analysis/beats/stated'
import type { BarDrift } from '../../../core/timing/drift'

/** "48 ms", "4.7 s". */
const ms = (seconds: number): string =>
  Math.abs(seconds) < 1 ? `${Math.round(1000 * Math.abs(seconds))} ms` : `${Math.abs(seconds).toFixed(1)} s`

/** "half within 12 ms; bar 23: 48 ms late": the median and the worst. */
export function driftWords(drift: readonly BarDrift[]): string {
  if (drift.length === 0) return 'no beats yet'
  const sizes = drift.map((d) => Math.abs(d.off)).sort((a, b) => a - b)
  const worst = drift.reduce((a, b) => (Math.abs(b.off) > Math.abs(a.off) ? b : a))
  const side = worst.off > 0 ? 'late' : 'early'
  return `half within ${ms(sizes[sizes.length >> 1]!)}; bar ${worst.bar}: ${ms(worst.off)} ${side}`
}

/** "stated: 120 in the file name, 112 in the tags"; empty where nothing is stated. */
export function statedWords(stated: readonly StatedTempo[] | undefined, bpm: number): string {
  if (!stated?.length) return ''
  const list = stated.map((s) => `${s.bpm} in the ${s.from === 'name' ? 'file name' : 'tags'}`).join(', ')
  const agrees = stated.some((s) => Math.abs(s.bpm / bpm - 1) < 0.01)
  const octave = stated.some((s) => [0.5, 2].some((k) => Math.abs((k * s.bpm) / bpm - 1) < 0.01))
  return `Stated: ${list}${agrees ? ', which agrees' : octave ? ', half or double of what is heard' : ', which the music does not bear out'}.`
}

const RELATIONS: Record<TempoCandidate['relation'], string> = {
  chosen: 'likeliest',
  half: 'half',
  double: 'double',
  third: 'a third',
  triple: 'three times',
  other: '',
}
export const relationWords = (c: TempoCandidate): string => RELATIONS[c.relation]
