// The pitch line: the best path through the candidates of all frames, and where it is voiced.
import { MOST, type PitchCandidates } from './candidates'

/** A pitch line. */
export interface Pitch {
  /** Seconds between values; value i is at i * hop. */
  readonly hop: number
  /** Hz, 0 where unvoiced. */
  readonly f0: Float32Array
  /** Likelihood of a pitched sound, 0-1. */
  readonly voicing: Float32Array
}

/** Cost of a step of one semitone between neighbouring frames, up to a leap. */
const STEP = 9
/** A voice may glide so fast at little more cost than for `STEADY`: semitones between frames (34 a second). */
const GLIDE = 0.2
const STEADY = 0.02
/** Cost of a leap to another note, and of every octave of it. */
const LEAP = 5
const LEAP_OCTAVE = 1.2
/** Cost of going between voiced and unvoiced. */
const SWITCH = 4
/** Frames more than this below the loudest of their surroundings are unvoiced, natural log of power (35 dB). */
const GATE = 8

/** Loudest level around each frame, fading by 40 dB a second on either side. */
function surroundings(level: Float32Array, hop: number): Float32Array {
  const fade = (4 * Math.log(10) * hop) as number
  const out = Float32Array.from(level)
  for (let i = 1; i < out.length; i++) out[i] = Math.max(out[i]!, out[i - 1]! - fade)
  for (let i = out.length - 2; i >= 0; i--) out[i] = Math.max(out[i]!, out[i + 1]! - fade)
  return out
}

/**
 * Viterbi decoding over a frame's candidates and an unvoiced state.
 *
 * Sources: M. Mauch & S. Dixon, "pYIN", ICASSP 2014 (voiced and unvoiced states, probabilities as observations);
 * P. Boersma, "Accurate short-term analysis of the fundamental frequency and the harmonics-to-noise ratio of a
 * sampled sound", IFA Proceedings 17, 1993 (path over candidates instead of a pitch grid).
 *
 * @param gliding whether a voice is looked for that may glide; what rings from drums is no pitch otherwise
 */
export function trackPitch(c: PitchCandidates, gliding = false): Pitch {
  const glide = gliding ? GLIDE : 0
  const { frames, hop } = c
  const states = MOST + 1
  const back = new Uint8Array(frames * states)
  let cost = new Float64Array(states).fill(0)
  let next = new Float64Array(states)
  const log = new Float64Array(MOST)
  const before = new Float64Array(MOST)
  let counted = 0
  const voicing = new Float32Array(frames)
  const around = surroundings(c.level, hop)
  for (let f = 0; f < frames; f++) {
    const n = c.count[f]!
    const base = f * MOST
    const gated = c.level[f]! < around[f]! - GATE || c.level[f]! < -18.4
    let total = 0
    for (let k = 0; k < n; k++) total += c.probability[base + k]!
    const voiced = gated ? 0.02 * total : total
    voicing[f] = Math.min(1, voiced)
    next.fill(Infinity)
    // Unvoiced is the last state.
    let cheapest = cost[MOST]!
    let from = MOST
    for (let j = 0; j < counted; j++)
      if (cost[j]! + SWITCH < cheapest) {
        cheapest = cost[j]! + SWITCH
        from = j
      }
    next[MOST] = cheapest - Math.log(Math.max(0.02, 1 - voiced))
    back[f * states + MOST] = from
    for (let k = 0; k < n; k++) {
      log[k] = 12 * Math.log2(c.hz[base + k]!)
      let least = cost[MOST]! + SWITCH
      let origin = MOST
      for (let j = 0; j < counted; j++) {
        const interval = Math.abs(log[k]! - before[j]!)
        const step = Math.max(Math.min(interval, STEADY), interval - glide)
        const move = Math.min(STEP * step, LEAP + (LEAP_OCTAVE * interval) / 12)
        if (cost[j]! + move < least) {
          least = cost[j]! + move
          origin = j
        }
      }
      const p = c.probability[base + k]! * (gated ? 0.02 : 1)
      next[k] = least - Math.log(p + 1e-5)
      back[f * states + k] = origin
    }
    let floor = Infinity
    for (let k = 0; k < states; k++) floor = Math.min(floor, next[k]!)
    for (let k = 0; k < states; k++) next[k]! -= floor
    ;[cost, next] = [next, cost]
    before.set(log)
    counted = n
  }
  const f0 = new Float32Array(frames)
  let state = 0
  for (let k = 1; k < states; k++) if (cost[k]! < cost[state]!) state = k
  for (let f = frames - 1; f >= 0; f--) {
    f0[f] = state === MOST ? 0 : c.hz[f * MOST + state]!
    state = back[f * states + state]!
  }
  return { hop, f0, voicing }
}
