// Transients of a recording: every candidate judged, each with its strength and exact start.
import type { Samples } from '../units'
import { ALIKE_NAMES, company, REGIONS, shapeOf, type Crowd } from './alike'
import { ALIKE_WEIGHTS } from './alike-weights'
import { brillianceRise } from './brilliance'
import { findCandidates, levelRise, pitchAtFrames, pitchStep, type Candidate } from './candidates'
import { FEATURE_NAMES, featureContext, featuresOf, type FeatureContext } from './features'
import { judge, logOdds } from './judge'
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
  /**
   * The note before goes on into this one: a glide or a slur, with nothing else that begins (`alone`) or with a bright stroke over
   * it (`struck`), as of a cymbal.
   */
  readonly slurred?: 'alone' | 'struck'
}

/** Bump when the analysis changes, so that cached findings are made anew. */
export const ANALYSIS_VERSION = 32

/** Weakest candidates that are kept at all. */
const LEAST = 0.08
/** Flux height that half of the loudness part of a strength stands for. */
const HALF_HEIGHT = 0.25
/** A candidate that may be an attack, roughly placed. */
export interface Found {
  /** Sample near which it lies. */
  readonly rough: number
  readonly cause: Candidate['cause']
  /** 0-1. */
  readonly strength: number
}

/** Where attacks start, samples, and whether they are steep; each by itself, in the order given. */
export const placesOf = (
  found: readonly Found[],
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
): AttackStart[] =>
  found.map(({ rough, cause }, i) => {
    if (i % 64 === 0) progress?.(i / found.length)
    if (cause === 'flux') return attackStart(channels, rough, sampleRate)
    return { at: cause === 'top' ? brightStart(channels, rough, sampleRate) : rough, steep: true }
  })

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
const BY_ITSELF = 0.6

/**
 * Judges all candidates of a recording, by themselves and then among their like. Weak ones are kept with a low
 * strength; `selectTransients` filters them.
 *
 * @param length samples; @param curve the recording's onset strength; @param pitch its pitch line
 * @param singleLine how far the pitch line can be believed, 0-1
 * @returns in rising order
 */
export function foundIn(
  length: number,
  sampleRate: number,
  curve: OnsetStrength,
  pitch: Pitch,
  singleLine: number,
  progress?: Progress,
): Found[] {
  const gathered = gather(curve, pitch, singleLine, sampleRate)
  const { candidates } = gathered
  const crowd = crowdOf(gathered, length / sampleRate, (done) => progress?.(BY_ITSELF * done))
  const among = company(crowd)
  const x = new Float32Array(ALIKE_NAMES.length)
  const found: Found[] = []
  candidates.forEach((c, i) => {
    if (i % 64 === 0) progress?.(BY_ITSELF + (1 - BY_ITSELF) * (i / candidates.length))
    const odds = crowd.odds[i]!
    if (odds < NEVER) return
    if (odds < ANYWAY) among(i, x)
    const sure = odds < ANYWAY ? judge(ALIKE_WEIGHTS, x) : 1 / (1 + Math.exp(-odds))
    if (sure < LEAST) return
    const height = curve.values[c.frame]!
    const rough = c.frame * curve.hop + (c.cause === 'flux' ? curve.offset : curve.start)
    found.push({
      rough: Math.max(0, Math.min(length - 1, rough)),
      cause: c.cause,
      strength: sure * (0.6 + (0.4 * height) / (height + HALF_HEIGHT)),
    })
  })
  return found
}
