// The ruler and the grid behind the strips.
import { gridLines, gridStep, type Grid } from '../../core/music/grid'
import { barAt, barOfBeat } from '../../core/music/meter-map'
import { beatToSeconds, bpmAt, secondsToBeat } from '../../core/music/tempo-map'
import type { Session } from '../../core/session/types'
import { toSecond, toX, type Axis } from './axis'
import type { Colors } from './colors'

/** Nearest that two grid lines are drawn, and two bar numbers, pixels. */
const LEAST_GAP = 7
const LEAST_LABEL = 46

/** Bars every how many of them carry a number: the smallest power of two that keeps numbers apart. */
function labelEvery(pixelsPerBar: number): number {
  let every = 1
  while (every * pixelsPerBar < LEAST_LABEL) every *= 2
  return every
}

/** Bar lines in sight with their numbers, from 1. */
export function barsInSight(
  session: Session,
  axis: Axis,
  width: number,
): { x: number; bar: number; labelled: boolean }[] {
  const beatAt = (x: number): number => secondsToBeat(session.tempo, toSecond(axis, x))
  const first = barOfBeat(session.meter, beatAt(0))
  const last = beatAt(width)
  const pixelsPerBar = (first.length * 60) / bpmAt(session.tempo, first.start) / axis.perPixel
  const every = labelEvery(pixelsPerBar)
  const out: { x: number; bar: number; labelled: boolean }[] = []
  for (let bar = first; bar.start <= last; bar = barAt(session.meter, bar.index + 1)) {
    const labelled = ((bar.index % every) + every) % every === 0
    if (labelled || pixelsPerBar >= LEAST_GAP)
      out.push({ x: toX(axis, beatToSeconds(session.tempo, bar.start)), bar: bar.index + 1, labelled })
  }
  return out
}

/** Draws bar numbers in a band of the given height, and beat numbers when there is room. */
export function drawRuler(
  g: CanvasRenderingContext2D,
  session: Session,
  axis: Axis,
  width: number,
  height: number,
  c: Colors,
): void {
  g.fillStyle = c.raised
  g.fillRect(0, 0, width, height)
  g.font = `12px ${c.figures}`
  g.textBaseline = 'middle'
  for (const b of barsInSight(session, axis, width)) {
    g.fillStyle = b.labelled ? c.soft : c.line
    g.fillRect(Math.round(b.x), b.labelled ? 4 : height - 7, 1, b.labelled ? height - 4 : 7)
    if (b.labelled) {
      g.fillStyle = c.ink
      g.fillText(String(b.bar), Math.round(b.x) + 5, height / 2 + 1)
    }
    const { start, beats, beatLength } = barAt(session.meter, b.bar - 1)
    for (let n = 1; n < beats; n++) {
      const x = toX(axis, beatToSeconds(session.tempo, start + n * beatLength))
      if (n === 1 && x - b.x < LEAST_LABEL) break
      g.fillStyle = c.line
      g.fillRect(Math.round(x), height - 9, 1, 9)
      g.fillStyle = c.soft
      g.fillText(`${b.bar}.${n + 1}`, Math.round(x) + 5, height / 2 + 1)
    }
  }
  g.fillStyle = c.line
  g.fillRect(0, height - 1, width, 1)
}

/** Draws grid lines between two heights: bars strong, beats middling, divisions faint when there is room. */
export function drawGrid(
  g: CanvasRenderingContext2D,
  session: Session,
  grid: Grid,
  axis: Axis,
  width: number,
  top: number,
  bottom: number,
  c: Colors,
): void {
  const from = secondsToBeat(session.tempo, toSecond(axis, 0))
  const to = secondsToBeat(session.tempo, toSecond(axis, width))
  const pixelsPerBeat = 60 / bpmAt(session.tempo, from) / axis.perPixel
  const line = (x: number, color: string, alpha: number): void => {
    g.globalAlpha = alpha
    g.fillStyle = color
    g.fillRect(Math.round(x), top, 1, bottom - top)
  }
  if (gridStep(grid) * pixelsPerBeat >= LEAST_GAP)
    for (const b of gridLines(session.meter, grid, from, to))
      line(toX(axis, beatToSeconds(session.tempo, b)), c.soft, 0.28)
  if (pixelsPerBeat >= LEAST_GAP)
    for (let bar = barOfBeat(session.meter, from); bar.start <= to; bar = barAt(session.meter, bar.index + 1))
      for (let n = 1; n < bar.beats; n++)
        line(toX(axis, beatToSeconds(session.tempo, bar.start + n * bar.beatLength)), c.soft, 0.4)
  for (const b of barsInSight(session, axis, width)) line(b.x, c.ink, 0.55)
  g.globalAlpha = 1
}
