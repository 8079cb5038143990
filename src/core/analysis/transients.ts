// Transients of a recording: every candidate judged, near-doubles grouped, each with its strength and exact start.
import { samples, type Samples } from '../units'
import { ALIKE_NAMES, company, REGIONS, shapeOf, type Crowd } from './alike'
import { ALIKE_WEIGHTS } from './alike-weights'
import { brillianceRise } from './brilliance'
import { findCandidates, levelRise, pitchAtFrames, pitchStep, type Candidate } from './candidates'
import { FEATURE_NAMES, featureContext, featuresOf, type FeatureContext } from './features'
import { judge, logOdds } from './judge'
import { laterAttacks } from './later-attacks'
import type { OnsetStrength } from './onset-strength'
import type { Pitch } from './pitch/track'
import type { Progress } from './progress'
import { attackStart, brightStart, type AttackStart } from './refine'
import { WEIGHTS } from './weights'

/** A detected transient: one musical event. */
export interface Transient {
  /** First sample of the attack. */
  readonly at: Samples
  /** 0-1, comparable across recordings: how surely a note starts here, softer ones lower. */
  readonly strength: number
  /** Later attacks of the same event (a flam's second stroke, the strings of a strum), samples. */
  readonly parts?: readonly Samples[]
}

/** Bump when the analysis changes, so that cached findings are made anew. */
export const ANALYSIS_VERSION = 14

/** Weakest candidates that are kept at all. */
const LEAST = 0.08
/** Flux height that half of the loudness part of a strength stands for. */
const HALF_HEIGHT = 0.25
/** Attacks nearer than this are one event, seconds. */
const TOGETHER = 0.036
/** And nearer than this where the later one swells only: a soft note rises twice. */
const SWELLS_TOGETHER = 0.06
/** A later attack this near before the next event is that event's, seconds. */
const APART = 0.01

interface Judged extends AttackStart {
  readonly strength: number
}

/**
 * Merges near attacks: the earliest leads, the strongest gives the strength.
 *
 * @param within attacks nearer than this are one event, samples; @param swells and this where the later is not steep
 */
export function groupNear(found: readonly Judged[], within: number, swells: number): Transient[] {
  const out: { at: Samples; strength: number; alone: boolean }[] = []
  for (const t of [...found].sort((a, b) => a.at - b.at)) {
    const last = out[out.length - 1]
    if (!last || t.at - last.at >= (t.steep ? within : swells))
      out.push({ at: samples(t.at), strength: t.strength, alone: true })
    // A faint precursor of a clear attack is not where the event begins.
    else if (last.strength < 0.35 && t.strength > 2 * last.strength && last.alone) {
      last.at = samples(t.at)
      last.strength = t.strength
    } else {
      last.strength = Math.max(last.strength, t.strength)
      last.alone = false
    }
  }
  return out.map(({ at, strength }) => ({ at, strength }))
}

/** Weaker events are not looked into for their parts. */
const LEAST_IN_PARTS = 0.2

/**
 * Events with the later attacks that belong to them; what the next event begins with is not theirs.
 *
 * @param go called now and then; may throw to cancel
 */
export function withParts(
  events: readonly Transient[],
  channels: readonly Float32Array[],
  sampleRate: number,
  go?: () => void,
): Transient[] {
  return events.map((t, i) => {
    if (i % 64 === 0) go?.()
    if (t.strength < LEAST_IN_PARTS) return t
    const next = (events[i + 1]?.at ?? Infinity) - APART * sampleRate
    const parts = laterAttacks(channels, sampleRate, t.at, t.strength).filter((p) => p < next)
    return parts.length ? { ...t, parts } : t
  })
}

/** Where a candidate's attack starts where there is one, samples, and whether that is steep. */
function placeOf(
  c: Candidate,
  curve: OnsetStrength,
  channels: readonly Float32Array[],
  sampleRate: number,
): AttackStart {
  const length = channels[0]!.length
  const rough = Math.max(
    0,
    Math.min(length - 1, c.frame * curve.hop + (c.cause === 'flux' ? curve.offset : curve.start)),
  )
  if (c.cause === 'flux') return attackStart(channels, rough, sampleRate)
  return { at: c.cause === 'top' ? brightStart(channels, rough, sampleRate) : rough, steep: true }
}

/** All candidates of a recording and what they are judged by. */
export interface Gathered {
  readonly candidates: readonly Candidate[]
  readonly context: FeatureContext
  /** Where they are heard, seconds. */
  readonly times: Float64Array
}

/**
 * Gathers the candidates of a recording.
 *
 * @param curve its onset strength; @param pitch its pitch line; @param singleLine how far that can be believed, 0-1
 */
export function gather(curve: OnsetStrength, pitch: Pitch, singleLine: number, sampleRate: number): Gathered {
  const midi = pitchAtFrames(pitch, curve, sampleRate)
  const step = pitchStep(midi)
  const rise = levelRise(curve.level)
  const top = brillianceRise(curve.top)
  const candidates = findCandidates(curve, step, rise, top)
  const context = featureContext(curve, midi, step, rise, top, candidates, singleLine)
  const times = Float64Array.from(
    candidates,
    (c) => (c.frame * curve.hop + (c.cause === 'flux' ? curve.offset : curve.start)) / sampleRate,
  )
  return { candidates, context, times }
}

const peakAround = (x: Float32Array, frame: number): number => {
  let most = 0
  for (let f = Math.max(0, frame - 2); f <= Math.min(x.length - 1, frame + 2); f++)
    most = Math.max(most, x[f]!)
  return most
}

/**
 * The candidates as a crowd, each judged by itself.
 *
 * @param seconds length of the recording; @param go called now and then with the share done; may throw to cancel
 */
export function crowdOf({ candidates, context, times }: Gathered, seconds: number, go?: Progress): Crowd {
  const { regions } = context.curve
  const x = new Float32Array(FEATURE_NAMES.length)
  const odds = new Float32Array(candidates.length)
  const shapes = new Float32Array(candidates.length * REGIONS)
  candidates.forEach((c, i) => {
    if (i % 64 === 0) go?.(i / candidates.length)
    featuresOf(c, context, x)
    odds[i] = logOdds(WEIGHTS, x)
    for (let r = 0; r < REGIONS; r++) shapes[REGIONS * i + r] = shapeOf(peakAround(regions[r]!, c.frame))
  })
  return { times, odds, shapes, line: context.voicedShare, seconds }
}

/** Below and above these log-odds of a candidate by itself its company does not change what it is. */
const NEVER = -10
const ANYWAY = 6
/** Share of the work of judging that is done when each candidate is judged by itself. */
const BY_ITSELF = 0.4

/**
 * Judges all candidates of a recording, by themselves and then among their like: events, without their later attacks.
 * Weak ones are kept with a low strength; `selectTransients` filters them.
 *
 * @param channels planar audio; @param curve its onset strength; @param pitch its pitch line
 * @param singleLine how far the pitch line can be believed, 0-1
 * @returns in rising order
 */
export function judgeTransients(
  channels: readonly Float32Array[],
  sampleRate: number,
  curve: OnsetStrength,
  pitch: Pitch,
  singleLine: number,
  progress?: Progress,
): Transient[] {
  const gathered = gather(curve, pitch, singleLine, sampleRate)
  const { candidates } = gathered
  const crowd = crowdOf(gathered, channels[0]!.length / sampleRate, (done) => progress?.(BY_ITSELF * done))
  const among = company(crowd)
  const x = new Float32Array(ALIKE_NAMES.length)
  const found: Judged[] = []
  candidates.forEach((c, i) => {
    if (i % 64 === 0) progress?.(BY_ITSELF + (1 - BY_ITSELF) * (i / candidates.length))
    const odds = crowd.odds[i]!
    if (odds < NEVER) return
    if (odds < ANYWAY) among(i, x)
    const sure = odds < ANYWAY ? judge(ALIKE_WEIGHTS, x) : 1 / (1 + Math.exp(-odds))
    if (sure < LEAST) return
    const height = curve.values[c.frame]!
    const strength = sure * (0.6 + (0.4 * height) / (height + HALF_HEIGHT))
    found.push({ ...placeOf(c, curve, channels, sampleRate), strength })
  })
  progress?.(1)
  return groupNear(found, TOGETHER * sampleRate, SWELLS_TOGETHER * sampleRate)
}
