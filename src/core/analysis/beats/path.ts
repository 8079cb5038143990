// The best beats at about a given period: dynamic programming over places and intervals.
import { workspace, type Workspace } from '../../dsp/kernels/kernels'
import { RATE, type Rhythm } from './rhythm'

/** What a person has said about beats, all optional; times in seconds. */
export interface BeatConstraints {
  /** Moments that are beats. */
  readonly beats?: readonly number[]
  /** A moment that is the first beat of a bar. */
  readonly downbeat?: number
  /** Tempo range, BPM. */
  readonly tempo?: { readonly low: number; readonly high: number }
  readonly beatsPerBar?: number
}

/** How far intervals may lie from the period: down to 1/REACH and up to REACH times. */
const REACH = 1.22
/** Cost of a change of interval, for ln(ratio)^2, and of being away from the period. */
const CHANGE = 700
const AWAY = 6
/** Largest change of interval from one beat to the next, as a share of it. */
const MOST_CHANGE = 0.07
/** Reward of a beat that somebody has named, and what its neighbourhood loses, frames. */
const NAMED = 400

/**
 * Beats at about a period.
 *
 * A state is a beat at a frame reached over an interval; each is reached from the beat before over the interval
 * before it, so that tempo moves smoothly. This is the bar-pointer model's beat in which tempo changes only on beats.
 * Sources: F. Krebs, S. Böck & G. Widmer, "An efficient state-space model for joint tempo and meter tracking", ISMIR
 * 2015 (tempo changes at beats, exponential cost of the ratio); D. Ellis, JNMR 36(1), 2007 (dynamic programming).
 *
 * @param period seconds; @returns beat times in seconds, from before the first sound to after the last
 */
export function beatPath(r: Rhythm, period: number, constraints: BeatConstraints = {}): number[] {
  const named = [
    ...(constraints.beats ?? []),
    ...(constraints.downbeat === undefined ? [] : [constraints.downbeat]),
  ]
  // Long beats need no finer grid; the work falls with its third power.
  const grain = period > FINE_PERIOD && !named.length ? 2 : 1
  const rate = RATE / grain
  const centre = period * rate
  let shortest = Math.max(8, Math.round(centre / REACH))
  let longest = Math.max(shortest + 1, Math.round(centre * REACH))
  const { tempo } = constraints
  if (tempo) {
    shortest = Math.max(shortest, Math.floor((60 * rate) / tempo.high))
    longest = Math.max(shortest + 1, Math.min(longest, Math.ceil((60 * rate) / tempo.low)))
  }
  const count = longest - shortest + 1
  const n = 4 * Math.ceil((Math.ceil(r.frames / grain) + longest) / 4)
  const { run, floats } = roomFor(1.25 * n * count + n + count * (count + 1) + 64)
  const reward = floats(n)
  reward.set(rewards(r, n, grain, named, shortest))
  // Change of interval from j to k, and distance of k from the period.
  const change = floats(count * count)
  for (let k = 0; k < count; k++)
    for (let j = 0; j < count; j++)
      change[k * count + j] = CHANGE * Math.log((k + shortest) / (j + shortest)) ** 2
  const away = floats(count)
  for (let k = 0; k < count; k++) away[k] = AWAY * Math.log((k + shortest) / centre) ** 2
  const spread = Math.max(1, Math.ceil(MOST_CHANGE * longest))
  const score = floats(n * count)
  const back = new Uint8Array(score.buffer, floats((n * count) / 4).byteOffset, n * count)
  run.beatPath(
    score.byteOffset,
    back.byteOffset,
    reward.byteOffset,
    change.byteOffset,
    away.byteOffset,
    n,
    count,
    shortest,
    spread,
  )
  let best = -Infinity
  let t = 0
  let k = 0
  for (let i = 0; i < count; i++)
    for (let f = n - longest; f < n; f++)
      if (score[i * n + f]! > best) {
        best = score[i * n + f]!
        ;[t, k] = [f, i]
      }
  const beats: number[] = []
  while (t >= 0) {
    beats.push(t / rate)
    const j = back[k * n + t]!
    if (j === 255) break
    t -= k + shortest
    k = j
  }
  return beats.reverse()
}

/** Shorter beats are found on a grid of 10 ms, longer ones on one of 20 ms, seconds. */
const FINE_PERIOD = 0.62

/** Room for a path's scores, used again by the next one. */
let room: Workspace | undefined
function roomFor(size: number): Workspace {
  if (!room?.reuse(size, 8)) room = workspace(size, 8)
  return room
}

/** Reward of a beat at every step of `grain` frames: the largest onset there, and what a person has said. */
function rewards(
  r: Rhythm,
  n: number,
  grain: number,
  named: readonly number[],
  shortest: number,
): Float32Array {
  const reward = new Float32Array(n)
  for (let f = 0; f < r.frames; f++) {
    const t = Math.floor(f / grain)
    reward[t] = Math.max(reward[t]!, Math.min(3, r.onset[f]!))
  }
  for (const time of named) {
    const centre = Math.round((time * RATE) / grain)
    const reach = Math.floor(shortest / 2)
    for (let f = Math.max(0, centre - reach); f <= Math.min(n - 1, centre + reach); f++)
      reward[f]! += f === centre ? NAMED : -NAMED
  }
  return reward
}
