// Draws a waveform through a time map.
import { readPeaks } from '../../core/audio/peaks'
import { toSource, type TimeMap } from '../../core/timing/time-map'
import type { Media } from '../stores/media'
import { toSecond, toX, type Axis } from './axis'

export interface WaveView {
  readonly media: Media
  /** Session samples to session samples. */
  readonly map: TimeMap
  readonly sampleRate: number
  /** Session samples for one recording sample. */
  readonly scale: number
  readonly axis: Axis
  readonly width: number
}

const pair = new Float32Array(2)

/** Least and greatest sample over all channels in a column. */
function column(media: Media, from: number, step: number): [number, number] {
  let lo = 0
  let hi = 0
  media.peaks.forEach((p, c) => {
    readPeaks(p, media.audio.channels[c], from, step, pair)
    lo = Math.min(lo, pair[0]!)
    hi = Math.max(hi, pair[1]!)
  })
  return [lo, hi]
}

/** The recording's samples one by one, when they lie further apart than a pixel. */
function drawSamples(
  g: CanvasRenderingContext2D,
  v: WaveView,
  first: number,
  last: number,
  middle: number,
  half: number,
): void {
  const at = (x: number): number => toSource(v.map, toSecond(v.axis, x) * v.sampleRate) / v.scale
  for (const [c, channel] of v.media.audio.channels.entries()) {
    g.beginPath()
    for (let x = first; x <= last; x += 0.5) {
      const p = at(x)
      const i = Math.floor(p)
      const a = channel[i] ?? 0
      const y = middle - half * (a + (p - i) * ((channel[i + 1] ?? 0) - a))
      if (x === first) g.moveTo(x, y)
      else g.lineTo(x, y)
    }
    g.globalAlpha = c === 0 ? 1 : 0.5
    g.stroke()
  }
  g.globalAlpha = 1
}

/**
 * Draws the waveform into [0, width) around `middle`, `half` pixels for full scale.
 *
 * The caller sets fill and stroke style.
 */
export function drawWave(g: CanvasRenderingContext2D, v: WaveView, middle: number, half: number): void {
  const first = Math.max(0, Math.floor(toX(v.axis, v.map[0]!.target / v.sampleRate)))
  const last = Math.min(v.width, Math.ceil(toX(v.axis, v.map[v.map.length - 1]!.target / v.sampleRate)))
  if (last <= first) return
  if (v.axis.perPixel * v.sampleRate < 1.5) return drawSamples(g, v, first, last, middle, half)
  let from = toSource(v.map, toSecond(v.axis, first) * v.sampleRate) / v.scale
  g.beginPath()
  for (let x = first; x < last; x++) {
    const to = toSource(v.map, toSecond(v.axis, x + 1) * v.sampleRate) / v.scale
    const [lo, hi] = column(v.media, from, Math.max(1e-3, to - from))
    const top = middle - half * hi
    g.rect(x, top, 1, Math.max(1, half * (hi - lo)))
    from = to
  }
  g.fill()
}

/** Pixels for full scale so that a recording's largest sample fills `half`. */
export function waveHeight(media: Media, half: number): number {
  let top = 0.05
  for (const p of media.peaks)
    for (const v of p.levels[p.levels.length - 1]!.values) top = Math.max(top, Math.abs(v))
  return half / top
}
