// Draws the Tempo desk's stage: ruler, waveform with its counted beats, and the tempo curve.
import { bpmAt, secondsToBeat } from '../../../core/music/tempo-map'
import type { Session } from '../../../core/session/types'
import type { Counted } from '../../../core/timing/count'
import { toSecond, toX, type Axis } from '../../stage/axis'
import type { Colors } from '../../stage/colors'
import { barsInSight, drawRuler } from '../../stage/ruler'
import { drawWave, waveHeight, type WaveView } from '../../stage/wave'

export interface TempoPicture {
  readonly session: Session
  readonly wave: WaveView | null
  readonly counted: Counted
  /** Notes of the signature in a counted beat: the others are drawn fainter. */
  readonly notes: number
  /** `♩. =`, in front of a tempo; and how many quarter notes that is. */
  readonly beat: { readonly sign: string; readonly name: string; readonly quarters: number }
  /** Session second at which a recording place sounds. */
  readonly secondOf: (source: number) => number
  readonly rate: number
  readonly place: number | null
  readonly points: readonly number[]
  readonly range: { readonly from: number; readonly to: number } | null
  readonly axis: Axis
  readonly width: number
  readonly layout: TempoLayout
  readonly scale: TempoScale
  readonly colors: Colors
}

export interface TempoLayout {
  readonly ruler: number
  readonly waveBottom: number
  readonly curveTop: number
  readonly curveBottom: number
}

const RULER = 26
const FLAGS = 18
/** Nearest that two bar numbers are drawn, pixels. */
const LEAST_LABEL = 36

export function layoutFor(height: number): TempoLayout {
  const waveBottom = RULER + Math.round((height - RULER) * 0.56)
  return { ruler: RULER, waveBottom, curveTop: waveBottom, curveBottom: height }
}

/** Lowest and highest tempo of the curve, quarter notes a minute. */
export interface TempoScale {
  readonly low: number
  readonly high: number
}

export const yOf = (l: TempoLayout, s: TempoScale, bpm: number): number =>
  l.curveBottom - 10 - ((bpm - s.low) / (s.high - s.low)) * (l.curveBottom - l.curveTop - 24)

export const bpmAtY = (l: TempoLayout, s: TempoScale, y: number): number =>
  s.low + ((l.curveBottom - 10 - y) / (l.curveBottom - l.curveTop - 24)) * (s.high - s.low)

/** Tempo of the recording bar by bar, where it sounds: seconds and quarter notes a minute. */
export function barCurve(
  c: Counted,
  secondOf: (source: number) => number,
): { from: number; to: number; bpm: number }[] {
  const quarter = 4 / c.beatUnit
  const starts = c.beats.filter((b) => ((b.n % c.beatsPerBar) + c.beatsPerBar) % c.beatsPerBar === 0)
  return starts.slice(1).map((b, i) => {
    const [from, to] = [secondOf(starts[i]!.source), secondOf(b.source)]
    return { from, to, bpm: ((b.n - starts[i]!.n) * quarter * 60) / (to - from) }
  })
}

/** A scale that holds both curves with some air, and never less than 12 BPM. */
export function scaleFor(curve: readonly { bpm: number }[], session: Session): TempoScale {
  const all = [...curve.map((c) => c.bpm), ...session.tempo.map((s) => s.bpm)].filter(Number.isFinite)
  const [low, high] = [Math.min(...all), Math.max(...all)]
  const air = Math.max(6, 0.12 * (high - low))
  return { low: Math.max(1, Math.floor(low - air)), high: Math.ceil(high + air) }
}

type Canvas = CanvasRenderingContext2D

function paintBeats(g: Canvas, p: TempoPicture): void {
  const { counted: c, axis, layout: l, colors, width } = p
  const xs = c.beats.map((b) => toX(axis, p.secondOf(b.source)))
  const gap = xs.length > 1 ? Math.abs(xs[xs.length - 1]! - xs[0]!) / (xs.length - 1) : width
  let every = 1
  while (every * gap * c.beatsPerBar < LEAST_LABEL) every *= 2
  c.beats.forEach((b, i) => {
    const x = xs[i]!
    const inBar = ((b.n % c.beatsPerBar) + c.beatsPerBar) % c.beatsPerBar
    const first = inBar === 0
    const inside = b.n % p.notes !== 0
    if (x < -60 || x > width + 60 || (!first && gap * p.notes < 5) || (inside && gap < 5)) return
    g.globalAlpha = inside ? 0.22 : first ? 0.35 + 0.6 * b.confidence : 0.15 + 0.55 * b.confidence
    g.strokeStyle = first ? colors.accent : colors.ink
    g.lineWidth = first ? 2 : 1
    // Lines that stand for nothing heard are broken.
    g.setLineDash(b.confidence < 0.4 ? [3, 4] : [])
    g.beginPath()
    g.moveTo(Math.round(x) + 0.5, l.ruler + (first ? 0 : FLAGS))
    g.lineTo(Math.round(x) + 0.5, l.waveBottom)
    g.stroke()
    g.setLineDash([])
    g.globalAlpha = 1
    const bar = Math.floor(b.n / c.beatsPerBar)
    if (!first || ((bar % every) + every) % every !== 0) return
    const label = String(bar + 1)
    g.font = `600 12px ${colors.figures}`
    const w = g.measureText(label).width + 8
    g.fillStyle = colors.accent
    g.fillRect(Math.round(x), l.ruler, w, FLAGS - 2)
    g.fillStyle = colors.raised
    g.textBaseline = 'middle'
    g.fillText(label, Math.round(x) + 4, l.ruler + FLAGS / 2)
  })
}

function paintCurve(g: Canvas, p: TempoPicture): void {
  const { layout: l, colors: c, axis, session, scale, width } = p
  g.fillStyle = c.raised
  g.fillRect(0, l.curveTop, width, l.curveBottom - l.curveTop)
  g.font = `11px ${c.figures}`
  g.textBaseline = 'middle'
  const step =
    [1, 2, 5, 10, 20, 50, 100].find((s) => (scale.high - scale.low) / p.beat.quarters / s <= 6) ?? 200
  const { quarters } = p.beat
  for (let v = Math.ceil(scale.low / quarters / step) * step; v * quarters <= scale.high; v += step) {
    const y = Math.round(yOf(l, scale, v * quarters))
    g.fillStyle = c.line
    g.fillRect(0, y, width, 1)
    g.fillStyle = c.soft
    g.fillText(String(v), 6, y - 7)
  }
  for (const b of barsInSight(session, axis, width)) {
    g.globalAlpha = 0.5
    g.fillStyle = c.line
    g.fillRect(Math.round(b.x), l.curveTop, 1, l.curveBottom - l.curveTop)
    g.globalAlpha = 1
  }
  // The recording, bar by bar, as blocks.
  g.fillStyle = c.waveFaint
  for (const b of barCurve(p.counted, p.secondOf)) {
    const [a, z] = [toX(axis, b.from), toX(axis, b.to)]
    if (z < 0 || a > width) continue
    g.fillRect(a + 1, yOf(l, scale, b.bpm) - 2.5, Math.max(2, z - a - 2), 5)
  }
  // The session's tempo, as a line.
  g.strokeStyle = c.accent
  g.lineWidth = 2
  g.beginPath()
  for (let x = 0; x <= width; x += 2) {
    const beat = secondsToBeat(session.tempo, toSecond(axis, x))
    const y = yOf(l, scale, bpmAt(session.tempo, Math.max(0, beat)))
    if (x === 0) g.moveTo(x, y)
    else g.lineTo(x, y)
  }
  g.stroke()
  g.fillStyle = c.ink
  g.font = `600 12px ${c.font}`
  const title = `Tempo, ${p.beat.name}s a minute`
  g.fillText(title, 40, l.curveTop + 12)
  const after = 44 + g.measureText(title).width
  g.font = `12px ${c.font}`
  g.fillStyle = c.accent
  g.fillText('— session', after + 8, l.curveTop + 12)
  g.fillStyle = c.soft
  g.fillText('▬ this recording', after + 82, l.curveTop + 12)
}

/** Paints everything but the playhead. */
export function paintTempo(g: Canvas, p: TempoPicture): void {
  const { layout: l, colors: c, axis, width } = p
  g.fillStyle = c.paper
  g.fillRect(0, 0, width, l.waveBottom)
  if (p.range) {
    g.fillStyle = c.accentSoft
    const from = toX(axis, p.range.from)
    g.fillRect(from, l.ruler, toX(axis, p.range.to) - from, l.curveBottom - l.ruler)
  }
  if (p.wave) {
    g.fillStyle = c.wave
    g.strokeStyle = c.wave
    const middle = (l.ruler + FLAGS + l.waveBottom) / 2
    drawWave(g, p.wave, middle, waveHeight(p.wave.media, (l.waveBottom - l.ruler - FLAGS) * 0.47))
  }
  // Where the session's bars lie, from below.
  for (const b of barsInSight(p.session, axis, width)) {
    g.fillStyle = c.ink
    g.globalAlpha = 0.7
    g.fillRect(Math.round(b.x), l.waveBottom - 12, 1, 12)
    g.globalAlpha = 1
  }
  paintBeats(g, p)
  paintCurve(g, p)
  drawRuler(g, p.session, axis, width, l.ruler, c)
  for (const at of p.points) {
    const x = toX(axis, p.secondOf(at))
    g.fillStyle = c.accent
    g.beginPath()
    g.arc(x, l.waveBottom - 6, 5, 0, 2 * Math.PI)
    g.fill()
  }
  if (p.place !== null) {
    const x = Math.round(toX(axis, p.secondOf(p.place))) + 0.5
    g.strokeStyle = c.stretched
    g.lineWidth = 2
    g.beginPath()
    g.moveTo(x, l.ruler)
    g.lineTo(x, l.waveBottom)
    g.stroke()
    g.fillStyle = c.stretched
    g.beginPath()
    g.moveTo(x - 6, l.waveBottom)
    g.lineTo(x + 6, l.waveBottom)
    g.lineTo(x, l.waveBottom - 9)
    g.fill()
  }
  g.fillStyle = c.line
  g.fillRect(0, l.curveTop, width, 1)
}
