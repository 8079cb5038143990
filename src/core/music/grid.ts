// The grid: note values from 1/1 to 1/64, straight, triplet or dotted, with swing, restarting at every bar.
import { beats, type Beats } from '../units'
import { barAt, barOfBeat, type Bar, type MeterMap } from './meter-map'

export const DIVISIONS = [1, 2, 4, 8, 16, 32, 64] as const
export type Division = (typeof DIVISIONS)[number]
export const GRID_KINDS = ['straight', 'triplet', 'dotted'] as const
export type GridKind = (typeof GRID_KINDS)[number]

/** A note value and its swing. */
export interface Grid {
  readonly division: Division
  readonly kind: GridKind
  /**
   * 0 to 100: how far every second line of a bar is delayed towards the line after it. 0 is straight; 100 puts
   * it at two thirds of the pair, a full triplet shuffle (2:1); 50 lies half way between.
   */
  readonly swing: number
}

const FACTOR: Record<GridKind, number> = { straight: 1, triplet: 2 / 3, dotted: 3 / 2 }

/** Distance of neighbouring lines without swing, quarter notes. */
export const gridStep = (g: Grid): Beats => beats((4 / g.division) * FACTOR[g.kind])

function lineInBar(bar: Bar, g: Grid, n: number): number {
  const step = gridStep(g)
  const delay = n % 2 === 1 ? (g.swing / 100) * (step / 3) : 0
  return bar.start + n * step + delay
}

const linesInBar = (bar: Bar, g: Grid): number => Math.max(1, Math.ceil(bar.length / gridStep(g) - 1e-9))

/**
 * Grid lines from one beat to another, both included.
 *
 * @returns rising positions in quarter notes
 */
export function gridLines(meter: MeterMap, g: Grid, from: number, to: number): Beats[] {
  const out: Beats[] = []
  for (let bar = barOfBeat(meter, from); bar.start <= to + 1e-9; bar = barAt(meter, bar.index + 1)) {
    const count = linesInBar(bar, g)
    for (let n = 0; n < count; n++) {
      const line = lineInBar(bar, g, n)
      // A delayed last line never reaches into the next bar.
      if (line >= from - 1e-9 && line <= to + 1e-9 && line < bar.start + bar.length - 1e-9)
        out.push(beats(line))
    }
  }
  return out
}

/** The grid line nearest to a beat; of two equally near, the earlier. */
export function nearestLine(meter: MeterMap, g: Grid, beat: number): Beats {
  const reach = 2 * gridStep(g)
  const lines = gridLines(meter, g, beat - reach, beat + reach)
  const bar = barOfBeat(meter, beat)
  let best: number = lines[0] ?? bar.start
  for (const l of lines) if (Math.abs(l - beat) < Math.abs(best - beat) - 1e-12) best = l
  return beats(best)
}
