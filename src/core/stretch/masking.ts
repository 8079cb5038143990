// What a vocoder's frames leave out near attacks and at the recording's ends.
import type { Readable, Span } from './types'

/** Stretched frames read nothing of an attack before the first, all after the second; ms. */
const ATTACK_FROM = 4
const ATTACK_TO = 10
/** They read nothing after the next attack, or outside the recording, and all that is so many ms away from it. */
const NEXT_FADE = 2

const ramps = new Map<number, Float32Array>()

/** A raised-cosine ramp from 0 to 1. */
function rising(length: number): Float32Array {
  const known = ramps.get(length)
  if (known) return known
  const made = Float32Array.from({ length }, (_, i) => Math.sin((Math.PI / 2) * ((i + 0.5) / length)) ** 2)
  ramps.set(length, made)
  return made
}

/**
 * Leaves out of frames what belongs to the attack at a span's start or lies after the one at its end, so that nothing
 * of an attack sounds twice and a frame may still lie as near to it as the map puts it. So does what lies before and
 * after the recording: where that begins or ends in the middle of a sound, its edge would sound beside its place.
 *
 * @returns fills `mask` for the frame from a recording sample on; false when nothing of it is left out
 */
export function masking(
  span: Span,
  { sampleRate, length }: Readable,
  mask: Float32Array,
): (from: number) => boolean {
  const ms = (x: number): number => Math.round((x * sampleRate) / 1000)
  const start = span.attackAtStart ? span.from + ms(ATTACK_FROM) : 0
  const end = span.attackAtEnd ? span.to : length
  const up = rising(span.attackAtStart ? ms(ATTACK_TO - ATTACK_FROM) : ms(NEXT_FADE))
  const down = rising(ms(NEXT_FADE))
  const size = mask.length
  return (from) => {
    const [first, last] = [start - from, end - from]
    if (first + up.length <= 0 && last - down.length >= size) return false
    const [from0, to0] = [Math.max(0, first), Math.max(0, last)]
    mask.fill(0, 0, from0)
    mask.fill(1, from0, to0)
    mask.fill(0, to0)
    for (let i = Math.max(0, -first); i < up.length && first + i < size; i++) mask[first + i]! *= up[i]!
    const fade = last - down.length
    for (let i = Math.max(0, -fade); i < down.length && fade + i < size; i++)
      mask[fade + i]! *= down[down.length - 1 - i]!
    return true
  }
}
