// Ranks hypotheses: their evidence weighed by a small network, turned into probabilities.
import { logOdds } from '../judge'
import type { Hypothesis } from './hypotheses'
import { RANKING } from './ranking-weights'

/** Log-odds of one hypothesis, up to a constant. */
export const score = (h: Hypothesis): number => logOdds(RANKING, h.features)

/** Probabilities from log-odds. */
export function softmax(z: readonly number[]): number[] {
  const top = Math.max(...z)
  const e = z.map((v) => Math.exp(v - top))
  const sum = e.reduce((a, b) => a + b, 0)
  return e.map((v) => v / sum)
}
