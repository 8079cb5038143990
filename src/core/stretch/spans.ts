// Divides a time map into spans: at every knot, and at every attack that lies inside a stretched part.
import { lastAtOrBelow } from '../search'
import { curveInside } from './curve'
import { withKnotsAt, type TimeMap } from '../timing/time-map'
import type { PitchCurve, Span, StretchSettings } from './types'

/**
 * Spans of a map, in order.
 *
 * @param map      session samples to session samples
 * @param attacks  starts of attacks in the recording, rising, in the map's source samples
 * @param pitched  when the pitch of all changes, unstretched parts too are divided at attacks, as all are rendered
 * @param curve    pitch over time; a part where it changes anything is divided at attacks as well
 */
export function spansOf(
  map: TimeMap,
  attacks: readonly number[],
  pitched = false,
  curve: PitchCurve = [],
): Span[] {
  const isAttack = (place: number): boolean => {
    const i = lastAtOrBelow(attacks.length, (k) => attacks[k]!, place)
    return i >= 0 && attacks[i] === place
  }
  const bent = attacks.filter((a) => {
    const i = lastAtOrBelow(map.length, (k) => map[k]!.source, a)
    const [from, to] = [map[i], map[i + 1]]
    return (
      from &&
      to &&
      (pitched ||
        to.source - from.source !== to.target - from.target ||
        curveInside(curve, from.source, to.source))
    )
  })
  const knots = withKnotsAt(map, bent)
  return knots.slice(1).map((end, i): Span => {
    const start = knots[i]!
    const inside = curveInside(curve, start.source, end.source)
    return {
      from: start.source,
      to: end.source,
      length: end.target - start.target,
      attackAtStart: isAttack(start.source),
      attackAtEnd: isAttack(end.source),
      joinsStart: i > 0,
      joinsEnd: i + 2 < knots.length,
      ...(inside ? { curve: inside } : {}),
    }
  })
}

/** True when pitch or formants change, so that every span is rendered. */
export const isReshaped = (settings: Pick<StretchSettings, 'pitch' | 'formantShift'>): boolean =>
  settings.pitch !== 1 || settings.formantShift !== 0

/** True when a span is the recording itself. */
export const isVerbatim = (span: Span, settings: Pick<StretchSettings, 'pitch' | 'formantShift'>): boolean =>
  !isReshaped(settings) && !span.curve && span.to - span.from === span.length
