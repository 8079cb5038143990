// How long an attack takes: it grows while strings of a strum or drums of a flam join in, and what is low needs some periods.
import { copyRange } from '../dsp/signal'
import type { Source } from './types'

/** Levels are compared in steps of this, seconds. */
const STEP = 0.002
/** A step is a new peak when it has this much more power than any before it; 2 dB. */
const LOUDER = 1.6
/** What follows the last peak is still the attack for so long, seconds. */
const AFTER = 0.01
/** So many periods of what is low are the attack at least: by then the pitch of a drum has fallen. */
const PERIODS = 4
/** Means over this much are what is low, seconds; it has a say when it is most of the power. */
const SMOOTH = 0.001
const MOST = 0.5

/**
 * How long the attack at a place lasts: until it grows no louder, and for some periods of what is low in it.
 *
 * The mean frequency is the root of the second moment of the power spectrum, by the first difference; L. Cohen,
 * "Time-Frequency Analysis", Prentice Hall 1995, 1.4.
 *
 * @param place sample; @param least, most bounds of what is returned, seconds
 * @returns seconds
 */
export function attackLength(
  { channels, sampleRate }: Source,
  place: number,
  least: number,
  most: number,
): number {
  const size = Math.max(1, Math.round(STEP * sampleRate))
  const smooth = Math.max(1, Math.round(SMOOTH * sampleRate))
  const steps = new Float64Array(Math.floor(most / STEP))
  const count = steps.length * size
  const x = new Float32Array(smooth + count)
  let [all, low, slope] = [0, 0, 0]
  for (const c of channels) {
    copyRange(c, place - smooth, place + count, x.fill(0))
    let sum = 0
    for (let i = 0; i < smooth; i++) sum += x[i]!
    for (let i = 0; i < count; i++) {
      const [now, gone] = [x[i + smooth]!, x[i]!]
      steps[Math.floor(i / size)]! += now * now
      all += now * now
      sum += now - gone
      low += (sum / smooth) ** 2
      slope += ((now - gone) / smooth) ** 2
    }
  }
  let [top, last] = [0, 0]
  steps.forEach((power, k) => {
    if (power <= LOUDER * top) return
    top = power
    last = k + 1
  })
  const period = low > MOST * all ? (2 * Math.PI * Math.sqrt(low / slope)) / sampleRate : 0
  return Math.min(most, Math.max(least, last * STEP + AFTER, PERIODS * period))
}
