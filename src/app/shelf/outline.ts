// The small picture of a session as drawn: one filled outline a track.

export const WIDTH = 240
export const HEIGHT = 84

/** Outlines as SVG paths in a box of 240 by 84. @param rows levels 0-1 of even slices, one row a track */
export function outlines(rows: readonly (readonly number[])[]): string[] {
  const height = HEIGHT / Math.max(1, rows.length)
  return rows.map((row, i) => {
    const mid = (i + 0.5) * height
    const at = (v: number, c: number, sign: number): string =>
      `${((c / (row.length - 1)) * WIDTH).toFixed(1)},${(mid + sign * Math.max(0.4, v * height * 0.46)).toFixed(1)}`
    const top = row.map((v, c) => at(v, c, -1))
    const bottom = row.map((v, c) => at(v, c, 1)).reverse()
    return `M${[...top, ...bottom].join('L')}Z`
  })
}
