// Stretch as colour: teal where audio is squeezed, orange where it is stretched, stronger the further.
import type { TimeMap } from '../../core/timing/time-map'
import type { Colors } from './colors'

/** A stretch of the result between two knots. */
export interface Segment {
  /** Seconds of the session. */
  readonly from: number
  readonly to: number
  /** Recording range, session samples. */
  readonly sourceFrom: number
  readonly sourceTo: number
  /** Output length over recording length. */
  readonly ratio: number
}

const known = new WeakMap<TimeMap, Segment[]>()

/** The segments of a map, in order; made once for each map. */
export function segmentsOf(map: TimeMap, sampleRate: number): readonly Segment[] {
  const before = known.get(map)
  if (before) return before
  const made = map.slice(1).map((b, i) => {
    const a = map[i]!
    return {
      from: a.target / sampleRate,
      to: b.target / sampleRate,
      sourceFrom: a.source,
      sourceTo: b.source,
      ratio: (b.target - a.target) / (b.source - a.source),
    }
  })
  known.set(map, made)
  return made
}

/** Share of full strength (0-1) at which a ratio is shown; 0 for less than a tenth of a per cent. */
export function stretchStrength(ratio: number): number {
  const octaves = Math.abs(Math.log2(ratio))
  return octaves < 0.0015 ? 0 : Math.min(1, 0.04 + 2 * octaves)
}

/** A canvas colour for a ratio, or null when nothing is stretched. */
export function stretchColor(
  ratio: number,
  c: Pick<Colors, 'squeezed' | 'stretched'>,
  scale = 1,
): string | null {
  const strength = stretchStrength(ratio)
  if (strength === 0) return null
  const alpha = Math.round(255 * strength * scale)
  return `${ratio < 1 ? c.squeezed : c.stretched}${alpha.toString(16).padStart(2, '0')}`
}
