// The stage from far away: so many notes and segments that they are drawn by the pixel.
import { beyondLimit } from '../../../core/stretch/limits'
import { toX } from '../../stage/axis'
import { stretchColor, type Segment } from '../../stage/stretch-color'
import type { Note } from './notes'
import { heightOf, middleOf, type Canvas, type Picture } from './picture'

/** Width of a column, and nearest that two notes' lines are drawn, pixels. */
const COLUMN = 2
const LINE_GAP = 3

/** The strongest stretch (octaves) in each column. */
function strongestOf(p: Picture, segments: readonly Segment[]): Float64Array {
  const out = new Float64Array(Math.ceil(p.width / COLUMN))
  for (const s of segments) {
    const octaves = Math.log2(s.ratio)
    const end = Math.min(out.length, toX(p.axis, s.to) / COLUMN)
    for (let k = Math.max(0, Math.floor(toX(p.axis, s.from) / COLUMN)); k < end; k++)
      if (Math.abs(octaves) > Math.abs(out[k]!)) out[k] = octaves
  }
  return out
}

/** Many narrow segments: the strongest stretch of each column, drawn straight down. */
export function paintColumns(g: Canvas, p: Picture, segments: readonly Segment[]): void {
  const { ties, placed } = p.layout
  const strongest = strongestOf(p, segments)
  for (let k = 0; k < strongest.length;) {
    const octaves = strongest[k]!
    // Neighbours that look alike are one rectangle.
    let next = k + 1
    while (next < strongest.length && Math.abs(strongest[next]! - octaves) < 0.02) next++
    const [x, width] = [k * COLUMN, (next - k) * COLUMN]
    k = next
    const ratio = 2 ** octaves
    const color = stretchColor(ratio, p.colors, 0.62)
    if (!color) continue
    g.fillStyle = color
    g.fillRect(x, ties.top, width, heightOf(ties))
    g.fillStyle = stretchColor(ratio, p.colors, 0.26)!
    g.fillRect(x, placed.top, width, heightOf(placed))
    // Too narrow to hatch: an ink edge says the same.
    if (!beyondLimit(p.method, ratio)) continue
    g.fillStyle = p.colors.ink
    g.fillRect(x, ties.bottom - 5, width, 5)
  }
}

/** Notes so close that a line every few pixels says as much. */
export function paintCrowd(g: Canvas, p: Picture, notes: readonly Note[]): void {
  const { layout, axis } = p
  const kinds: [(n: Note) => boolean, number][] = [
    [(n) => n.tick.muted, 0.12],
    [(n) => !n.tick.muted && n.pin === null, 0.22],
    [(n) => !n.tick.muted && n.pin !== null, 0.4],
  ]
  g.strokeStyle = g.fillStyle = p.colors.ink
  g.lineWidth = 1
  const top = layout.played.top + 4
  for (const [is, alpha] of kinds) {
    let last = -Infinity
    g.globalAlpha = alpha
    g.beginPath()
    for (const n of notes) {
      const x0 = Math.round(toX(axis, n.played))
      if (x0 - last < LINE_GAP || !is(n)) continue
      last = x0
      const x1 = Math.round(toX(axis, n.placed))
      const foot = n.pin ? layout.placed.bottom : middleOf(layout.placed)
      // Upright lines are rectangles on the pixel grid; only slanted ones need smoothing.
      if (n.tick.muted) g.fillRect(x0, top, 1, layout.ties.top - top)
      else if (x1 === x0) g.fillRect(x0, top, 1, foot - top)
      else {
        g.fillRect(x0, top, 1, layout.ties.top - top)
        g.moveTo(x0 + 0.5, layout.ties.top)
        g.lineTo(x1 + 0.5, layout.ties.bottom)
        g.fillRect(x1, layout.placed.top, 1, foot - layout.placed.top)
      }
    }
    g.stroke()
  }
  g.globalAlpha = 1
}
