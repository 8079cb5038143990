// How far each method can stretch before it is heard.
import type { MethodName } from './types'

/** Least and greatest ratio (output length over recording length) that a method bears well; common practice. */
export const STRETCH_LIMITS: Readonly<Record<MethodName, readonly [number, number]>> = {
  hits: [0.5, 2],
  line: [0.67, 1.5],
  chords: [0.75, 1.5],
  mix: [0.8, 1.3],
  grains: [0.5, 3],
  tape: [0.5, 2],
  cuts: [0.85, 1.15],
}

/** True when a ratio lies outside what the method bears. */
export const beyondLimit = (method: MethodName, ratio: number): boolean =>
  ratio < STRETCH_LIMITS[method][0] || ratio > STRETCH_LIMITS[method][1]
