// Level figures of audio.

/** Largest absolute sample over all channels. */
export function peakOf(channels: readonly Float32Array[]): number {
  let top = 0
  for (const c of channels)
    for (let i = 0; i < c.length; i++) {
      const v = Math.abs(c[i]!)
      if (v > top) top = v
    }
  return top
}

/** Amplitude in dB of full scale; -Infinity for silence. */
export const toDb = (amplitude: number): number => 20 * Math.log10(amplitude)
