// Where the parts of the Timing desk's stage lie.

export interface Band {
  readonly top: number
  readonly bottom: number
}

/** Where the parts of the stage lie, pixels. */
export interface Layout {
  readonly ruler: Band
  readonly played: Band
  readonly ties: Band
  readonly placed: Band
}

export const RULER_HEIGHT = 26

export function layoutOf(height: number): Layout {
  const rest = height - RULER_HEIGHT
  const a = RULER_HEIGHT + Math.round(rest * 0.38)
  const b = RULER_HEIGHT + Math.round(rest * 0.58)
  return {
    ruler: { top: 0, bottom: RULER_HEIGHT },
    played: { top: RULER_HEIGHT, bottom: a },
    ties: { top: a, bottom: b },
    placed: { top: b, bottom: height },
  }
}
