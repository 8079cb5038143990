// Transient candidates of a recording: every onset that might be one, with its strength and its exact start.
import { InputError } from '../errors'
import { samples, type Samples } from '../units'
import { onsetStrength, type Progress } from './onset-strength'
import { pickPeaks } from './peak-pick'
import { attackStart } from './refine'

/** A detected transient. */
export interface Transient {
  /** First sample of the attack. */
  readonly at: Samples
  /** 0-1, comparable across recordings: 0.5 is a clear but soft note. */
  readonly strength: number
}

/** Bump when the detection changes, so that cached findings are made anew. */
export const TRANSIENT_VERSION = 1

/** Onset strength of a height that maps to strength 0.5. */
const HALF_HEIGHT = 0.35
const LEAST_HEIGHT = 0.035

/** Maps a peak height to a strength in (0, 1). */
const strengthOf = (height: number): number => height / (height + HALF_HEIGHT)

/** Keeps the stronger of candidates whose refined starts fall together. */
function mergeNear(found: Transient[], least: number): Transient[] {
  const out: Transient[] = []
  for (const t of [...found].sort((a, b) => a.at - b.at)) {
    const last = out[out.length - 1]
    if (!last || t.at - last.at >= least) out.push(t)
    else if (t.strength > last.strength) out[out.length - 1] = { at: last.at, strength: t.strength }
  }
  return out
}

/**
 * Finds all transient candidates. Weak ones are kept with a low strength; `selectTransients` filters them.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param progress told the share done, 0-1; may throw to cancel
 * @returns candidates in rising order
 * @throws InputError when there is no audio
 */
export function findTransients(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
): Transient[] {
  const length = channels[0]?.length ?? 0
  if (length === 0) throw new InputError('The recording is empty; there is nothing to analyse.')
  const curve = onsetStrength(channels, sampleRate, progress && ((p) => progress(0.9 * p)))
  const second = sampleRate / curve.hop
  const frames = (s: number) => Math.round(s * second)
  const peaks = pickPeaks(curve.values, frames(0.02), frames(0.1), frames(0.07), LEAST_HEIGHT)
  const found = peaks.map((p): Transient => {
    const rough = Math.min(length - 1, Math.max(0, p.frame * curve.hop + curve.offset))
    return { at: samples(attackStart(channels, rough, sampleRate)), strength: strengthOf(p.height) }
  })
  progress?.(1)
  return mergeNear(found, Math.round(0.012 * sampleRate))
}
