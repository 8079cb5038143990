// Noise that lasts longer without being heard again: where it has come to, it turns, runs back and goes on from there.
import { energy } from '../dsp/energy'
import { sliceRange } from '../dsp/signal'
import { crossfadeTo } from './joins'
import type { Source } from './types'

/** What is run back to may have this many times the power of what is run back over first. */
const LOUDER = 2
const SILENCE = 1e-12

const powerOf = (source: Source, from: number, to: number): number =>
  source.channels.reduce((sum, x) => sum + energy(x, Math.max(0, from), Math.min(x.length, to)), 0) /
  (to - from)

/** Whether the sound before a place is no louder than the sound at it, so that nothing else is run back into. */
export function isLevel(source: Source, place: number, back: number): boolean {
  const middle = place - (back >> 1)
  return powerOf(source, place - back, middle) <= LOUDER * powerOf(source, middle, place) + SILENCE
}

/**
 * The recording from a place on, turning into what lies before it, backward, and back again into what follows the place.
 *
 * Said again as it was, noise hums at the time between: a mirror image has no such time.
 *
 * @param channels planar, from back + fade samples before the place to 1.5 fades after it at least
 * @param back how far is run back, samples
 * @param fade length of the crossfade at either turn, samples, even
 * @returns back + fade samples, planar, after which the recording goes on 1.5 fades after the place
 */
export function mirrored(
  channels: readonly Float32Array[],
  place: number,
  back: number,
  fade: number,
): Float32Array[] {
  const length = back + fade
  const reversed = channels.map((x) => sliceRange(x, place - length, place).reverse())
  const out = reversed.map((x) => x.slice())
  channels.forEach((x, c) => out[c]!.set(sliceRange(x, place, place + fade)))
  crossfadeTo(out, 0, fade, reversed, 0)
  crossfadeTo(out, back, fade, channels, place + fade / 2)
  return out
}
