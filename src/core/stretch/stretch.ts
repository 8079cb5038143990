// Stretches a recording along a time map: a pull-based stream over its spans, and the whole at once.
import { attacksOnCorners, cornersAfterAttacks } from './corners'
import { targetLength, type TimeMap } from '../timing/time-map'
import { led } from './leads'
import { openSpan } from './methods'
import { isReshaped, spansOf } from './spans'
import type { PitchCurve, Source, StretchSettings, Voice } from './types'

/** A stretched recording that is read in order. */
export interface Stretcher {
  /** Samples it gives in all: exactly what its map asks for. */
  readonly length: number
  /** Writes the next samples, at most `count`; returns how many were written (0 at the end). */
  read(out: readonly Float32Array[], at: number, count: number): number
}

/**
 * Opens a stretcher.
 *
 * @param source  recording at the rate the map counts in
 * @param map     where every part of it sounds
 * @param attacks starts of attacks to protect, rising, in recording samples
 * @param curve   pitch over time, on top of the settings'
 */
export function openStretcher(
  source: Source,
  map: TimeMap,
  attacks: readonly number[],
  settings: StretchSettings,
  curve: PitchCurve = [],
): Stretcher {
  const struck = attacksOnCorners(map, attacks, source.sampleRate)
  const settled = cornersAfterAttacks(map, struck, source.sampleRate)
  const spans = led(
    spansOf(settled, struck, isReshaped(settings), curve),
    settled,
    settings,
    source.sampleRate,
  )
  let next = 0
  let voice: Voice | undefined
  let left = 0
  return {
    length: targetLength(map),
    read(out, at, count) {
      let done = 0
      while (done < count) {
        if (left === 0) {
          const span = spans[next]
          if (!span) break
          voice = openSpan(source, span, settings)
          left = span.length
          next++
        }
        const n = Math.min(count - done, left)
        voice!.pull(out, at + done, n)
        done += n
        left -= n
      }
      return done
    },
  }
}

/**
 * Stretches a recording in one go.
 *
 * @param progress told the share done, 0-1, about once a second of output; may throw to cancel
 * @param curve pitch over time, on top of the settings'
 * @returns planar audio of exactly the length the map asks for
 */
export function stretchAudio(
  source: Source,
  map: TimeMap,
  attacks: readonly number[],
  settings: StretchSettings,
  progress?: (done: number) => void,
  curve: PitchCurve = [],
): Float32Array[] {
  const stretcher = openStretcher(source, map, attacks, settings, curve)
  const out = source.channels.map(() => new Float32Array(stretcher.length))
  for (let at = 0; at < stretcher.length;) {
    at += stretcher.read(out, at, Math.min(source.sampleRate, stretcher.length - at))
    progress?.(at / stretcher.length)
  }
  return out
}
