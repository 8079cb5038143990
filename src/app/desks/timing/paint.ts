// Draws the Timing desk's stage: ruler, As played, ties, As placed.
import type { Grid } from '../../../core/music/grid'
import { beatToSeconds } from '../../../core/music/tempo-map'
import type { Session } from '../../../core/session/types'
import { beyondLimit } from '../../../core/stretch/limits'
import type { MethodName } from '../../../core/stretch/types'
import type { Move } from '../../../core/timing/quantize'
import { toTarget } from '../../../core/timing/time-map'
import { toX, type Axis } from '../../stage/axis'
import type { Colors } from '../../stage/colors'
import { drawGrid, drawRuler } from '../../stage/ruler'
import { segmentsOf, stretchColor } from '../../stage/stretch-color'
import { drawWave, waveHeight } from '../../stage/wave'
import type { Media } from '../../stores/media'
import { RULER_HEIGHT, type Band, type Layout } from './layout'
import { placeSecond, type ClipView, type Note } from './notes'

/** Everything the stage is drawn from. */
export interface Picture {
  readonly session: Session
  readonly clip: ClipView | null
  readonly media: Media | undefined
  readonly method: MethodName
  readonly axis: Axis
  readonly width: number
  readonly layout: Layout
  readonly grid: Grid
  readonly colors: Colors
  readonly original: boolean
}

/** What changes with the pointer and the selection. */
export interface Marks {
  readonly selected: number | null
  readonly hovered: number | null
  /** What a move of the hovered or dragged note would bend: recording places, or null. */
  readonly reach: { readonly before: number | undefined; readonly after: number | undefined } | null
  readonly range: { readonly from: number; readonly to: number } | null
  readonly ghosts: readonly Move[]
}

type Canvas = CanvasRenderingContext2D

const middleOf = (b: Band): number => (b.top + b.bottom) / 2
const heightOf = (b: Band): number => b.bottom - b.top

let hatch: { color: string; pattern: CanvasPattern } | undefined
/** Slanted strokes that mark a stretch beyond the method's limit, readable without colour. */
function hatchOf(g: Canvas, color: string): CanvasPattern {
  if (hatch?.color === color) return hatch.pattern
  const tile = document.createElement('canvas')
  tile.width = tile.height = 8
  const t = tile.getContext('2d')!
  t.strokeStyle = color
  t.lineWidth = 1.4
  t.beginPath()
  for (const d of [-8, 0, 8]) {
    t.moveTo(d, 8)
    t.lineTo(d + 8, 0)
  }
  t.stroke()
  const pattern = g.createPattern(tile, 'repeat')!
  hatch = { color, pattern }
  return pattern
}

/** A slanted band from a stretch of As played to where it lies in As placed. */
function slant(g: Canvas, x: readonly [number, number, number, number], ties: Band): void {
  g.beginPath()
  g.moveTo(x[0], ties.top)
  g.lineTo(x[1], ties.top)
  g.lineTo(x[3], ties.bottom)
  g.lineTo(x[2], ties.bottom)
  g.closePath()
  g.fill()
}

/** Stretched and squeezed segments: coloured between the strips and behind As placed. */
function paintStretch(g: Canvas, p: Picture, clip: ClipView): void {
  const { axis, width, layout, colors: c } = p
  for (const s of segmentsOf(clip.placed, clip.sampleRate)) {
    const [x2, x3] = [toX(axis, s.from), toX(axis, s.to)]
    const x0 = toX(axis, toTarget(clip.played, s.sourceFrom) / clip.sampleRate)
    const x1 = toX(axis, toTarget(clip.played, s.sourceTo) / clip.sampleRate)
    if (Math.max(x1, x3) < 0 || Math.min(x0, x2) > width) continue
    const color = stretchColor(s.ratio, c, 0.62)
    if (!color) continue
    g.fillStyle = color
    slant(g, [x0, x1, x2, x3], layout.ties)
    g.fillStyle = stretchColor(s.ratio, c, 0.26)!
    g.fillRect(x2, layout.placed.top, x3 - x2, heightOf(layout.placed))
    if (!beyondLimit(p.method, s.ratio)) continue
    g.fillStyle = hatchOf(g, c.ink)
    slant(g, [x0, x1, x2, x3], layout.ties)
    g.globalAlpha = 0.35
    g.fillRect(x2, layout.placed.top, x3 - x2, heightOf(layout.placed))
    g.globalAlpha = 1
  }
}

/** Ruler, grid, waveforms and stretch colours. */
export function paintBase(g: Canvas, p: Picture): void {
  const { session, clip, media, axis, width, layout, colors: c } = p
  g.clearRect(0, 0, width, layout.placed.bottom)
  g.fillStyle = c.paper
  g.fillRect(0, layout.played.top, width, layout.placed.bottom)
  g.fillStyle = c.sunk
  g.fillRect(0, layout.ties.top, width, heightOf(layout.ties))
  drawGrid(g, session, p.grid, axis, width, layout.placed.top, layout.placed.bottom, c)
  if (clip && media) {
    paintStretch(g, p, clip)
    const view = { media, sampleRate: clip.sampleRate, scale: clip.scale, axis, width }
    for (const [band, map, heard] of [
      [layout.played, clip.played, p.original],
      [layout.placed, clip.placed, !p.original],
    ] as const) {
      g.fillStyle = g.strokeStyle = heard ? c.wave : c.waveFaint
      drawWave(g, { ...view, map }, middleOf(band), waveHeight(media, heightOf(band) * 0.4))
    }
  }
  g.fillStyle = c.line
  g.fillRect(0, layout.ties.top, width, 1)
  g.fillRect(0, layout.ties.bottom, width, 1)
  drawRuler(g, session, axis, width, RULER_HEIGHT, c)
}

/** Notes whose places lie in sight or near it. */
function inSight(p: Picture, notes: readonly Note[]): readonly Note[] {
  const near = (second: number): boolean => {
    const x = toX(p.axis, second)
    return x > -30 && x < p.width + 30
  }
  return notes.filter((n) => near(n.played) || near(n.placed))
}

function paintTick(g: Canvas, p: Picture, n: Note, m: Marks, crowded: boolean): void {
  const { layout, colors: c, axis } = p
  const x = Math.round(toX(axis, n.played)) + 0.5
  const on = n.tick.id === m.selected
  const lit = on || n.tick.id === m.hovered
  g.strokeStyle = g.fillStyle = on ? c.accent : c.ink
  g.globalAlpha = n.tick.muted
    ? 0.35
    : lit
      ? 1
      : (crowded ? 0.15 : 0.35) + (crowded ? 0.25 : 0.5) * n.tick.strength
  g.lineWidth = lit ? 2 : 1
  g.setLineDash(n.tick.muted ? [2, 3] : [])
  g.beginPath()
  g.moveTo(x, layout.played.top + 4)
  g.lineTo(x, layout.played.bottom)
  g.stroke()
  g.setLineDash([])
  // A foot on every tick; open when it was corrected or added by hand.
  if (!crowded || lit) {
    g.beginPath()
    g.moveTo(x - 4.5, layout.played.bottom - 7)
    g.lineTo(x + 4.5, layout.played.bottom - 7)
    g.lineTo(x, layout.played.bottom)
    g.closePath()
    if (n.tick.origin === 'found') g.fill()
    else {
      g.fillStyle = c.raised
      g.fill()
      g.stroke()
    }
  }
  g.globalAlpha = 1
}

function paintTie(g: Canvas, p: Picture, n: Note, m: Marks, crowded: boolean): void {
  const { layout, colors: c, axis } = p
  const [x0, x1] = [toX(axis, n.played), toX(axis, n.placed)]
  const on = n.tick.id === m.selected
  const lit = on || n.tick.id === m.hovered
  g.strokeStyle = g.fillStyle = on ? c.accent : c.ink
  g.globalAlpha = lit ? 1 : n.pin ? 0.75 : 0.28
  g.lineWidth = lit ? 2 : n.pin ? 1.25 : 1
  g.beginPath()
  g.moveTo(x0, layout.ties.top)
  g.lineTo(x1, layout.ties.bottom)
  g.lineTo(x1, layout.placed.bottom - (n.pin || lit ? 0 : heightOf(layout.placed) * 0.5))
  g.stroke()
  // A pin's head: full when set by hand, a ring when an automatic step set it.
  if (n.pin && (!crowded || lit)) {
    g.beginPath()
    g.arc(x1, layout.placed.top + 7, lit ? 5 : 4, 0, 2 * Math.PI)
    if (n.pin === 'hand') g.fill()
    else {
      g.fillStyle = c.raised
      g.globalAlpha = 1
      g.fill()
      g.stroke()
    }
  }
  g.globalAlpha = 1
}

/** Where a preview would put the notes: dashed ties from where they sound now. */
function paintGhosts(g: Canvas, p: Picture, clip: ClipView, m: Marks): void {
  const { layout, colors: c, axis, session } = p
  g.strokeStyle = g.fillStyle = c.accent
  g.lineWidth = 1.5
  for (const move of m.ghosts) {
    const x0 = toX(axis, placeSecond(clip, clip.played, move.source))
    const x1 = toX(axis, beatToSeconds(session.tempo, move.to))
    if (Math.max(x0, x1) < 0 || Math.min(x0, x1) > p.width) continue
    const open = move.rival !== undefined
    g.setLineDash(open ? [2, 4] : [6, 4])
    g.beginPath()
    g.moveTo(x0, layout.ties.top)
    g.lineTo(x1, layout.ties.bottom)
    g.lineTo(x1, layout.placed.bottom)
    g.stroke()
    g.setLineDash([])
    if (open) {
      g.font = `600 13px ${c.font}`
      g.fillText('?', x1 + 4, layout.placed.bottom - 12)
    }
  }
}

/** Ticks, ties, pins, range, reach and ghosts. */
export function paintMarks(g: Canvas, p: Picture, m: Marks): void {
  const { layout, colors: c, axis, width, clip } = p
  if (m.range) {
    const [from, to] = [toX(axis, m.range.from), toX(axis, m.range.to)]
    g.fillStyle = c.accentSoft
    g.fillRect(from, 0, to - from, layout.placed.bottom)
    g.fillStyle = c.accent
    g.fillRect(from, 0, to - from, 3)
    g.fillRect(from, 0, 1, layout.placed.bottom)
    g.fillRect(to - 1, 0, 1, layout.placed.bottom)
  }
  if (clip) {
    if (m.reach) {
      const end = (k: { target: number } | undefined): number => (k?.target ?? 0) / clip.sampleRate
      const from =
        m.reach.before === undefined ? end(clip.placed[0]) : placeSecond(clip, clip.placed, m.reach.before)
      const to =
        m.reach.after === undefined ? end(clip.placed.at(-1)) : placeSecond(clip, clip.placed, m.reach.after)
      const [x0, x1] = [toX(axis, from), toX(axis, to)]
      g.fillStyle = c.ink
      g.globalAlpha = 0.08
      g.fillRect(x0, layout.placed.top, x1 - x0, heightOf(layout.placed))
      g.globalAlpha = 0.8
      for (const x of [x0, x1]) g.fillRect(x - 1, layout.placed.bottom - 10, 2, 10)
      g.fillRect(x0, layout.placed.bottom - 3, x1 - x0, 3)
      g.globalAlpha = 1
    }
    const notes = inSight(p, clip.notes)
    const crowded = notes.length * 12 > width
    for (const n of notes) paintTick(g, p, n, m, crowded)
    for (const n of notes) if (!n.tick.muted) paintTie(g, p, n, m, crowded)
    paintGhosts(g, p, clip, m)
  }
  g.font = `600 12px ${c.font}`
  g.textBaseline = 'top'
  for (const [label, band, heard] of [
    ['As played', layout.played, p.original],
    ['As placed', layout.placed, !p.original],
  ] as const) {
    const text = heard ? `${label} · heard` : label
    const w = g.measureText(text).width
    g.fillStyle = c.paper
    g.globalAlpha = 0.85
    g.fillRect(6, band.top + 6, w + 10, 19)
    g.globalAlpha = 1
    g.fillStyle = heard ? c.ink : c.soft
    g.fillText(text, 11, band.top + 9)
  }
}
