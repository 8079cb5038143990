// What a recording is made of, as far as the choice of a stretch method needs it.
import type { Transient } from './transients'

/** A suggested method with its reasons in words. */
export interface Material {
  readonly suggested: 'hits' | 'chords'
  readonly reasons: readonly string[]
  /** Share of the energy that lies within 70 ms after an attack, 0-1. */
  readonly attackShare: number
}

const ATTACK_SECONDS = 0.07
/** Above this share of the energy in attacks a recording is percussive. */
const PERCUSSIVE = 0.72

const percent = (x: number): string => `${Math.round(100 * x)} %`

/**
 * Suggests a stretch method from how the energy is spread around the attacks.
 *
 * @param channels planar audio; @param transients in rising order; @param sampleRate Hz
 * Source: common practice: percussion carries most of its energy in the first tens of milliseconds of a sound.
 */
export function suggestMethod(
  channels: readonly Float32Array[],
  transients: readonly Transient[],
  sampleRate: number,
): Material {
  const span = Math.round(ATTACK_SECONDS * sampleRate)
  let total = 0
  for (const c of channels) for (let i = 0; i < c.length; i++) total += c[i]! * c[i]!
  let inAttacks = 0
  let covered = 0
  transients.forEach((t, k) => {
    const end = Math.min(t.at + span, transients[k + 1]?.at ?? Infinity, channels[0]?.length ?? 0)
    covered += Math.max(0, end - t.at)
    for (const c of channels) for (let i = t.at; i < end; i++) inAttacks += c[i]! * c[i]!
  })
  const attackShare = total > 0 ? inAttacks / total : 0
  const coverage = covered / Math.max(1, channels[0]?.length ?? 0)
  const hits = attackShare > PERCUSSIVE && transients.length > 1
  const reasons = [
    `${percent(attackShare)} of the energy is in attacks, which fill ${percent(coverage)} of the time.`,
    hits
      ? 'The sounds are short, so attacks matter most.'
      : 'The sounds ring on, so their tone matters most.',
  ]
  return { suggested: hits ? 'hits' : 'chords', reasons, attackShare }
}
