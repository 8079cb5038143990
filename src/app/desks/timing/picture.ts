// What the Timing desk's stage is drawn from.
import type { Grid } from '../../../core/music/grid'
import type { Session } from '../../../core/session/types'
import type { MethodName } from '../../../core/stretch/types'
import type { Move } from '../../../core/timing/quantize'
import type { Axis } from '../../stage/axis'
import type { Colors } from '../../stage/colors'
import type { Media } from '../../stores/media'
import type { Band, Layout } from './layout'
import type { ClipView } from './notes'

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

export type Canvas = CanvasRenderingContext2D

export const middleOf = (b: Band): number => (b.top + b.bottom) / 2
export const heightOf = (b: Band): number => b.bottom - b.top
