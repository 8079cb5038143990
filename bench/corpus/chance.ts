// Seeded choices.
import { randomFrom } from '../../src/core/dsp/random'

export interface Chance {
  /** Uniform in [0, 1). */
  (): number
  between(low: number, high: number): number
  pick<T>(from: readonly T[]): T
  whole(low: number, high: number): number
  /** True with probability p. */
  often(p: number): boolean
  /** Roughly normal with this spread. */
  loose(spread: number): number
}

export function chance(seed: number): Chance {
  const random = randomFrom(seed)
  const pick = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)]!
  const between = (low: number, high: number): number => low + (high - low) * random()
  return Object.assign(() => random(), {
    between,
    pick,
    whole: (low: number, high: number) => Math.floor(between(low, high + 1)),
    often: (p: number) => random() < p,
    loose: (spread: number) => spread * (random() + random() + random() + random() - 2) * Math.sqrt(3),
  })
}
