// Draws a waveform through a time map.
import { readPeaks } from '../../core/audio/peaks'
import { toSource, toTarget, type TimeMap } from '../../core/timing/time-map'
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

/** Samples a pixel below which they are drawn one by one. */
const SPARSE = 0.5

/** The recording's samples one by one, joined by lines. */
function drawSamples(
  g: CanvasRenderingContext2D,
  v: WaveView,
  first: number,
  last: number,
  middle: number,
  half: number,
): void {
  const at = (x: number): number => toSource(v.map, toSecond(v.axis, x) * v.sampleRate) / v.scale
  const [from, to] = [Math.floor(at(first)), Math.ceil(at(last))]
  for (const [c, channel] of v.media.audio.channels.entries()) {
    g.beginPath()
    for (let i = Math.max(0, from); i <= Math.min(channel.length - 1, to); i++) {
      const x = toX(v.axis, toTarget(v.map, i * v.scale) / v.sampleRate)
      g.lineTo(x, middle - half * channel[i]!)
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
  if (v.axis.perPixel * v.sampleRate < SPARSE) return drawSamples(g, v, first, last, middle, half)
  let from = toSource(v.map, toSecond(v.axis, first) * v.sampleRate) / v.scale
  // Whole pixels: rectangles on the pixel grid need no smoothing, which makes them many times cheaper.
  for (let x = first; x < last; x++) {
    const to = toSource(v.map, toSecond(v.axis, x + 1) * v.sampleRate) / v.scale
    // Half a sample to either side, so that neighbouring columns join when a column is hardly a sample wide.
    const [lo, hi] = column(v.media, from - 0.5, to - from + 1)
    const top = Math.round(middle - half * hi)
    g.fillRect(x, top, 1, Math.max(1, Math.round(middle - half * lo) - top))
    from = to
  }
}

/** Pixels for full scale so that a recording's largest sample fills `half`. */
export function waveHeight(media: Media, half: number): number {
  let top = 0.05
  for (const p of media.peaks)
    for (const v of p.levels[p.levels.length - 1]!.values) top = Math.max(top, Math.abs(v))
  return half / top
}
