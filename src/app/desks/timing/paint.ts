// Draws the Timing desk's stage: ruler, As played, ties, As placed.
import { lastAtOrBelow } from '../../../core/search'
import { beatToSeconds } from '../../../core/music/tempo-map'
import { beyondLimit } from '../../../core/stretch/limits'
import { toTarget } from '../../../core/timing/time-map'
import { toSecond, toX } from '../../stage/axis'
import { drawGrid, drawRuler } from '../../stage/ruler'
import { segmentsOf, stretchColor, type Segment } from '../../stage/stretch-color'
import { drawWave, waveHeight } from '../../stage/wave'
import { RULER_HEIGHT, type Band } from './layout'
import { placeSecond, type ClipView, type Note } from './notes'
import { paintColumns, paintCrowd } from './paint-dense'
import { heightOf, middleOf, type Canvas, type Marks, type Picture } from './picture'

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

/** Mean width of a segment, pixels, below which segments are gathered column by column. */
const NARROW = 5

/** Segments in sight. */
function segmentsInSight(p: Picture, clip: ClipView): readonly Segment[] {
  const all = segmentsOf(clip.placed, clip.sampleRate)
  const last = (second: number): number => lastAtOrBelow(all.length, (i) => all[i]!.from, second)
  // A note moves by less than two seconds as a rule; further ones are drawn when either end is in sight.
  const from = Math.max(0, last(toSecond(p.axis, -30) - 2))
  return all.slice(from, last(toSecond(p.axis, p.width + 30) + 2) + 1)
}

/** Stretched and squeezed segments: coloured between the strips and behind As placed. */
function paintStretch(g: Canvas, p: Picture, clip: ClipView): void {
  const { axis, width, layout, colors: c } = p
  const segments = segmentsInSight(p, clip)
  if (segments.length * NARROW > width) return paintColumns(g, p, segments)
  for (const s of segments) {
    const color = stretchColor(s.ratio, c, 0.62)
    if (!color) continue
    const [x2, x3] = [toX(axis, s.from), toX(axis, s.to)]
    const x0 = toX(axis, toTarget(clip.played, s.sourceFrom) / clip.sampleRate)
    const x1 = toX(axis, toTarget(clip.played, s.sourceTo) / clip.sampleRate)
    if (Math.max(x1, x3) < 0 || Math.min(x0, x2) > width) continue
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

/** Notes whose places lie in sight or near it. Both places rise from note to note. */
function inSight(p: Picture, notes: readonly Note[]): readonly Note[] {
  const [left, right] = [toSecond(p.axis, -30), toSecond(p.axis, p.width + 30)]
  const upTo = (where: 'played' | 'placed', second: number): number =>
    lastAtOrBelow(notes.length, (i) => notes[i]![where], second) + 1
  const from = Math.min(upTo('played', left), upTo('placed', left))
  return notes.slice(from, Math.max(upTo('played', right), upTo('placed', right)))
}

/** Width and height of a near-double's flag, and height of a later attack's line, pixels. */
const FLAG = [9, 8] as const
const LATER = 16

/** A near-double's flag, at its tick's top. */
function paintFlag(g: Canvas, top: number, x: number): void {
  g.beginPath()
  g.moveTo(x, top + 4)
  g.lineTo(x + FLAG[0], top + 4 + FLAG[1] / 2)
  g.lineTo(x, top + 4 + FLAG[1])
  g.closePath()
  g.fill()
}

/** A short line at the foot of the strip for every later attack of a note. */
function paintLater(g: Canvas, p: Picture, n: Note): void {
  const { bottom } = p.layout.played
  for (const second of n.later) {
    const later = Math.round(toX(p.axis, second)) + 0.5
    g.beginPath()
    g.moveTo(later, bottom - LATER)
    g.lineTo(later, bottom)
    g.stroke()
  }
}

function paintTick(g: Canvas, p: Picture, n: Note, m: Marks): void {
  const { layout, colors: c, axis } = p
  const x = Math.round(toX(axis, n.played)) + 0.5
  const on = n.tick.id === m.selected
  const lit = on || n.tick.id === m.hovered
  g.strokeStyle = g.fillStyle = on ? c.accent : c.ink
  g.globalAlpha = n.tick.muted ? 0.35 : lit ? 1 : 0.35 + 0.5 * n.tick.strength
  g.lineWidth = lit ? 2 : 1
  g.setLineDash(n.tick.muted ? [2, 3] : [])
  g.beginPath()
  g.moveTo(x, layout.played.top + 4)
  g.lineTo(x, layout.played.bottom)
  g.stroke()
  g.setLineDash([])
  if (n.nearDouble) paintFlag(g, layout.played.top, x)
  if (!n.tick.muted) paintLater(g, p, n)
  // A foot on every tick; open when it was corrected or added by hand.
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
  g.globalAlpha = 1
}

function paintTie(g: Canvas, p: Picture, n: Note, m: Marks): void {
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
  if (n.pin) {
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

/** Room that a number beside a tie needs, pixels, and the smallest move that has one, ms. */
const NUMBER = 52
const SMALLEST = 0.5

/** How far each note was moved, in ms beside its tie, where there is room up to the next one. */
function paintNumbers(g: Canvas, p: Picture, notes: readonly Note[]): void {
  const { layout, colors: c, axis } = p
  const y = middleOf(layout.ties)
  const middle = (n: Note): number => (toX(axis, n.played) + toX(axis, n.placed)) / 2
  g.font = `11px ${c.figures}`
  g.textBaseline = 'middle'
  notes.forEach((n, i) => {
    const ms = 1000 * (n.placed - n.played)
    if (n.tick.muted || Math.abs(ms) < SMALLEST) return
    const next = notes[i + 1]
    const x = middle(n)
    if (next && middle(next) - x < NUMBER) return
    g.fillStyle = c.ink
    g.fillText(`${ms > 0 ? '+' : '−'}${Math.abs(ms).toFixed(0)}`, x + 6, y)
  })
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

/** Mean distance of notes, pixels, below which they are drawn as a crowd. */
const CROWDED = 12

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
    const crowded = notes.length * CROWDED > width
    if (crowded) paintCrowd(g, p, notes)
    const single = crowded ? notes.filter((n) => n.tick.id === m.selected || n.tick.id === m.hovered) : notes
    for (const n of single) paintTick(g, p, n, m)
    for (const n of single) if (!n.tick.muted) paintTie(g, p, n, m)
    if (!crowded) paintNumbers(g, p, single)
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
