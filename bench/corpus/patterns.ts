// Places of a bar where bass and chords are struck, by meter.

export const BASS: Record<string, readonly number[][]> = {
  '4/4': [
    [0, 2],
    [0, 1.5, 2, 3],
    [0, 1, 2, 3],
    [0, 0.5, 1.5, 2.5, 3],
  ],
  '3/4': [[0], [0, 2]],
  '2/4': [[0, 1]],
  '6/8': [
    [0, 3],
    [0, 3, 5],
  ],
}
export const COMP: Record<string, readonly number[][]> = {
  '4/4': [
    [0, 1, 2, 3],
    [0, 1.5, 2, 3.5],
    [0, 2],
    [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5],
  ],
  '3/4': [[0, 1, 2], [0]],
  '2/4': [
    [0.5, 1.5],
    [0, 0.5, 1, 1.5],
  ],
  '6/8': [
    [0, 2, 3, 5],
    [0, 3],
    [0, 1, 2, 3, 4, 5],
  ],
}
