// What a vocoder's frames leave out near attacks.
import type { Span } from './types'

/** Stretched frames read nothing of an attack before the first, all after the second; ms. */
const ATTACK_FROM = 4
const ATTACK_TO = 10
/** They read nothing after the next attack, and all until so many ms before it. */
const NEXT_FADE = 2

/** A raised-cosine ramp from 0 to 1. */
const rising = (length: number): Float32Array =>
  Float32Array.from({ length }, (_, i) => Math.sin((Math.PI / 2) * ((i + 0.5) / length)) ** 2)

/**
 * Leaves out of frames what belongs to the attack at a span's start or lies after the one at its end, so that nothing
 * of an attack sounds twice and a frame may still lie as near to it as the map puts it.
 *
 * @returns fills `mask` for the frame from a recording sample on; false when nothing of it is left out
 */
export function masking(span: Span, rate: number, mask: Float32Array): (from: number) => boolean {
  const ms = (x: number): number => Math.round((x * rate) / 1000)
  const start = span.attackAtStart ? span.from + ms(ATTACK_FROM) : -Infinity
  const end = span.attackAtEnd ? span.to : Infinity
  const up = rising(ms(ATTACK_TO - ATTACK_FROM))
  const down = rising(ms(NEXT_FADE)).reverse()
  const size = mask.length
  return (from) => {
    const [first, last] = [start - from, end - from]
    if (first + up.length <= 0 && last - down.length >= size) return false
    mask.fill(1)
    mask.fill(0, 0, Math.max(0, first))
    mask.fill(0, Math.max(0, last))
    const scale = (by: Float32Array, at: number): void => {
      for (let i = Math.max(0, -at); i < by.length && at + i < size; i++) mask[at + i]! *= by[i]!
    }
    if (start > -Infinity) scale(up, first)
    if (end < Infinity) scale(down, last - down.length)
    return true
  }
}
