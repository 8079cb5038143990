// Plucked strings after K. Karplus & A. Strong, "Digital synthesis of plucked-string and drum timbres" (CMJ 1983),
// with the tuning and damping extensions of D. Jaffe & J. O. Smith (CMJ 1983).
import { randomFrom } from '../../src/core/dsp/random'
import { resonate } from './room'

export interface Pluck {
  readonly midi: number
  /** Seconds until the string is damped. */
  readonly length: number
  /** 0-1, how hard. */
  readonly level: number
  /** 0-1, how bright the pick is. */
  readonly bright: number
  /** Where along the string it is plucked, 0-0.5. */
  readonly position: number
  /** Seconds for the fundamental to fall by 60 dB. */
  readonly t60: number
}

const midiToHz = (midi: number): number => 440 * 2 ** ((midi - 69) / 12)

/** One string, from the first sample of its pluck. */
export function pluckString(p: Pluck, rate: number, seed: number): Float32Array {
  const random = randomFrom(seed)
  const hz = midiToHz(p.midi)
  const period = rate / hz
  const delay = Math.floor(period - 0.5 - 1e-6)
  const fraction = period - 0.5 - delay
  const allpass = (1 - fraction) / (1 + fraction)
  const loss = 10 ** (-3 / (hz * p.t60))
  const release = 0.03
  const n = Math.round((p.length + 4 * release) * rate)
  const burst = Math.round(period)
  const comb = Math.max(1, Math.round(p.position * period))
  const excitation = new Float32Array(burst + comb)
  let smooth = 0
  for (let i = 0; i < burst; i++) {
    smooth += (0.15 + 0.85 * p.bright) * (2 * random() - 1 - smooth)
    excitation[i]! += smooth
    excitation[i + comb]! -= smooth
  }
  const line = new Float32Array(delay)
  const out = new Float32Array(n)
  let at = 0
  let previous = 0
  let apIn = 0
  let apOut = 0
  for (let i = 0; i < n; i++) {
    const tap = line[at]!
    const averaged = loss * 0.5 * (tap + previous)
    previous = tap
    apOut = allpass * averaged + apIn - allpass * apOut
    apIn = averaged
    line[at] = (i < excitation.length ? excitation[i]! : 0) + apOut
    const over = i / rate - p.length
    out[i] = p.level * line[at]! * (over > 0 ? Math.exp(-over / release) : 1)
    if (++at === delay) at = 0
  }
  return out
}

/** Colours a string sound with an instrument's body: a few resonances (hertz, Q, gain) beside the direct sound. */
export function throughBody(
  x: Float32Array,
  rate: number,
  body: readonly (readonly [number, number, number])[],
): Float32Array {
  const out = Float32Array.from(x)
  for (const [hz, q, gain] of body) {
    const y = resonate(x, hz, q, rate)
    for (let i = 0; i < out.length; i++) out[i]! += gain * y[i]!
  }
  return out
}
