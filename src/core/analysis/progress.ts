// How long work tells how far it is.

/** Told how much of the work is done, 0-1; may throw to cancel. */
export type Progress = (done: number) => void

/** The part of a whole's progress that one of its steps fills. */
export const part = (progress: Progress | undefined, from: number, to: number): Progress | undefined =>
  progress && ((done) => progress(from + (to - from) * done))

/** A stretch of frames, [from, to), of those a recording has; so that several workers can share one recording. */
export interface FrameRange {
  readonly from: number
  readonly to: number
}

/** Splits `count` frames into stretches of about one size. */
export const splitFrames = (count: number, parts: number): FrameRange[] =>
  Array.from({ length: parts }, (_, i) => ({
    from: Math.floor((i * count) / parts),
    to: Math.floor(((i + 1) * count) / parts),
  }))
