// Keeps the level of what a vocoder makes: frames of noise do not go on in phase, and lose some of their power.

/** Shares of what was measured that count one hop later: what is off must be off for long, and still be. */
const MEMORIES = [0.85, 0.5] as const
/** What is off by less, as a factor, is left: tones are exact, and nothing may waver with them. */
const SLACK = 0.01
/** Most that is made up for, as a factor. */
const MOST = 0.2

export interface Keeper {
  /**
   * Tells the power that the next frame should sound with, in the order of the frames.
   *
   * @param power sum of squares of the windowed frame, all channels; NaN for one that is the recording itself
   */
  expect(power: number): void
  /**
   * Takes the next finished hop.
   *
   * @param parts its power under each hop of the squared window, the first first, all channels
   * @returns gain for this hop's end; it began with the gain before
   */
  finish(parts: Float64Array): number
}

/**
 * Opens a keeper.
 *
 * A frame's power is compared with that of the finished output under the same window around the same place: for tones
 * they are alike whatever their phases, for noise the output has less. Source: the loss is described by J. Laroche &
 * M. Dolson, IEEE Trans. SAP 7(3), 1999 ("phasiness" and loss of level).
 *
 * @param overlap hops in a window
 */
export function levelKeeper(overlap: number): Keeper {
  /** Power of what is finished under windows that begin at the last hops, the oldest first. */
  const windows = new Float64Array(overlap)
  // Frames that are not finished yet, the oldest first; before the first there were none.
  const expected: number[] = Array.from({ length: overlap - 1 }, () => NaN)
  const seen = MEMORIES.map((memory) => ({ memory, wanted: 0, got: 0 }))
  let gain = 1
  return {
    expect(power) {
      expected.push(power)
    },
    finish(parts) {
      // The window that began so many hops ago reaches into this hop with its part of that number.
      windows.copyWithin(0, 1)
      windows[overlap - 1] = 0
      for (let age = 0; age < overlap; age++) windows[overlap - 1 - age]! += parts[age]!
      const [frame, power] = [expected.shift() ?? NaN, windows[0]!]
      if (frame === frame && power > 0) {
        const [long, now] = seen.map((s) => {
          s.wanted = s.memory * s.wanted + frame
          s.got = s.memory * s.got + power
          return Math.sqrt(s.wanted / s.got) - 1
        }) as [number, number]
        const off = long * now > 0 ? Math.min(Math.abs(long), Math.abs(now)) : 0
        gain = 1 + Math.sign(long) * Math.min(MOST, Math.max(0, off - SLACK))
      }
      return gain
    },
  }
}
