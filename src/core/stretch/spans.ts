// Divides a time map into spans: at every knot, and at every attack that lies inside a stretched part.
import type { Protected } from '../analysis/select'
import { curveInside } from './curve'
import { withKnotsAt, type TimeMap } from '../timing/time-map'
import type { MethodName, PitchCurve, Span, StretchSettings } from './types'

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
  // Map, attacks and spans all rise, so that one walk along each is enough.
  let i = 0
  const bent = attacks.filter((a) => {
    while (i + 1 < map.length && map[i + 1]!.source <= a) i++
    const [from, to] = [map[i]!, map[i + 1]]
    return (
      to !== undefined &&
      from.source <= a &&
      (pitched ||
        to.source - from.source !== to.target - from.target ||
        curveInside(curve, from.source, to.source) !== undefined)
    )
  })
  const knots = withKnotsAt(map, bent)
  let k = 0
  const isAttack = (place: number): boolean => {
    while (k < attacks.length && attacks[k]! < place) k++
    return attacks[k] === place
  }
  const spans: Span[] = []
  let attackAtStart = isAttack(knots[0]!.source)
  for (let n = 1; n < knots.length; n++) {
    const [start, end] = [knots[n - 1]!, knots[n]!]
    const inside = curve.length ? curveInside(curve, start.source, end.source) : undefined
    const attackAtEnd = isAttack(end.source)
    spans.push({
      from: start.source,
      to: end.source,
      length: end.target - start.target,
      attackAtStart,
      attackAtEnd,
      joinsStart: n > 1,
      joinsEnd: n + 1 < knots.length,
      ...(inside ? { curve: inside } : {}),
    })
    attackAtStart = attackAtEnd
  }
  return spans
}

/** True when pitch or formants change, so that every span is rendered. */
export const isReshaped = (settings: Pick<StretchSettings, 'pitch' | 'formantShift'>): boolean =>
  settings.pitch !== 1 || settings.formantShift !== 0

/** True when a span is the recording itself. */
export const isVerbatim = (span: Span, settings: Pick<StretchSettings, 'pitch' | 'formantShift'>): boolean =>
  !isReshaped(settings) && !span.curve && span.to - span.from === span.length

/** Which slurs are attacks to what stretches tones; to all else every one is. */
const SLURS: Partial<Record<MethodName, Protected['slurs']>> = {
  line: 'none',
  chords: 'struck',
  mix: 'struck',
}

/**
 * Which attacks a method protects.
 *
 * Hits also the later ones of one event (a flam's second stroke): each is then where the map has it. Other methods keep
 * such an event as it was struck, as its attacks are too near to be treated apart. What stretches tones goes on through a slur:
 * there is no attack to keep, and the wave before and after would not meet. Line does so under a stroke as well, which stays
 * near its place with the wave; Chords and Mix would blur it.
 */
export const protectedBy = (method: MethodName): Protected => ({
  later: method === 'hits',
  slurs: SLURS[method] ?? 'all',
})

/** False where it changes nothing which attacks are known: a tape is read on through them. */
export const knowsAttacks = (settings: Pick<StretchSettings, 'method' | 'pitch' | 'formantShift'>): boolean =>
  settings.method !== 'tape' || isReshaped(settings)
