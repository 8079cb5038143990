// What a recording is made of, as far as the choice of a stretch method needs it.
import {
  ATTACK_SECONDS,
  attackShares,
  energies,
  framesOf,
  LOW,
  REGION_SECONDS,
  type Shares,
} from './attack-shares'
import { partialCounter, type Partials } from './inharmonic'
import { clearBetween, heardFrom, type Clear } from './pitch/single-line'
import type { Pitch } from './pitch/track'
import type { Source } from './source'
import { tonelessMeter, tonelessness, type Texture, type Tonelessness } from './texture'

/** Methods that can be suggested; Tape and Cuts are a matter of taste, not of material. */
export type SuggestedMethod = 'hits' | 'line' | 'chords' | 'mix' | 'grains'

/** What the suggestion rests on. */
export interface Figures {
  /** Share of the energy that lies within 60 ms after an attack, mean over third-octave bands, 0-1. */
  readonly attackShare: number
  /** Share of the sounding time with one clear pitch, 0-1. */
  readonly singleLine: number
  /** Attacks a second. */
  readonly density: number
}

/** A suggested method with its reasons in words and numbers. */
export interface Suggestion extends Figures {
  readonly suggested: SuggestedMethod
  readonly reasons: readonly string[]
}

export interface Material extends Suggestion {
  /** Stretches of the recording that want another method than their neighbours; one where it does not change. Seconds. */
  readonly regions: readonly (Suggestion & { readonly start: number; readonly end: number })[]
}

/** From this share of what lies below it on, a recording is percussive. */
const PERCUSSIVE = 0.71
/** And what lies between attacks has less than this power against what lies near them (-5 dB): of many attacks a second any sound lies near one. */
const BETWEEN = 0.3
/** From this on, that share and the share of the time near attacks added up, percussion plays along: it strikes more often. */
const WITH_PERCUSSION = 0.48
const SINGLE = 0.7
/**
 * From this share of clear partials on that lie beside the harmonics, of so many at least, a single line's wave has no
 * period that could be repeated; where its pitch is lower than this it is a bass, Hz.
 */
const INHARMONIC = 0.12
const LEAST_PARTIALS = 12
const BASS = 130
/** Fewer attacks a second than this, without pitch: a texture, if it is noise to this share at least, which strings and choirs are not. */
const TEXTURE_DENSITY = 0.4
const UNEVEN_NOISE = 0.9
/** An even texture is noise to this share at least, and its level makes steps and has a spread of no more than these, dB. */
const NOISE = 0.93
const STEPS = 6
const SPREAD = 7
/** And no texture has tones that show in long frames: rain and applause have 0.95 and more, bands 0.3 at most. */
const TONELESS = 0.7
/** No region is shorter than so many windows. */
const SHORTEST_REGION = 3
/** Windows in which less of the time sounds, a rest or what rings out, are as those beside them. */
const LEAST_SOUNDING = 0.2

const percent = (x: number): string => `${Math.round(100 * x)} %`

/** A single line's clear partials, and its middle pitch, Hz. */
interface Tones extends Partials {
  readonly middle: number
}

/**
 * The method that figures speak for.
 *
 * @param shares of the energy; @param toneless asked only of what may be a texture
 * @param tones asked only of a single line
 */
function suggest(
  f: Figures,
  { low, between }: Shares,
  t: Texture,
  toneless: () => number,
  tones: () => Tones,
): Suggestion {
  const first = `${percent(f.attackShare)} of the energy is in attacks (${percent(low)} below ${LOW} Hz), ${f.density.toFixed(1)} of them a second.`
  const line = `${percent(f.singleLine)} of the sounding time has one clear pitch.`
  const say = (suggested: SuggestedMethod, why: string): Suggestion => ({
    ...f,
    suggested,
    reasons: [first, line, why],
  })
  const mayBeTexture = f.singleLine < 0.05
  if (mayBeTexture && t.noise > NOISE && t.steps < STEPS && t.spread < SPREAD && toneless() > TONELESS)
    return say(
      'grains',
      `It is noise at an even level (steps of ${t.steps.toFixed(1)} dB), so density and colour matter most.`,
    )
  if (low > PERCUSSIVE && between < BETWEEN && f.density > 0.2)
    return say('hits', 'The sounds are struck and short, so attacks matter most.')
  if (f.singleLine > SINGLE) {
    const { clear, beside, middle } = tones()
    if (clear >= LEAST_PARTIALS && beside > INHARMONIC * clear && middle > BASS)
      return say(
        'chords',
        `One note sounds at a time, but ${percent(beside / clear)} of its partials lie beside the harmonics, as with strings and bells, so their tone matters most.`,
      )
    return say('line', 'One note sounds at a time, so its wave shape can be kept.')
  }
  const still = f.density < TEXTURE_DENSITY && f.attackShare < 0.2
  if (mayBeTexture && still && t.noise > UNEVEN_NOISE && toneless() > TONELESS)
    return say('grains', 'Neither attacks nor pitch stand out, so density and colour matter most.')
  if (low + ATTACK_SECONDS * f.density > WITH_PERCUSSION)
    return say('mix', 'Struck sounds and tones go together, so each is treated apart.')
  return say('chords', 'The sounds ring on together, so their tone matters most.')
}

/**
 * Suggests a stretch method from how the energy is spread around the attacks and how much is one clear pitch.
 *
 * @param source one channel; @param attacks seconds, in rising order
 * @param pitch of the same recording; @param level natural log of power of its frames
 * @param singleLine its single-note confidence, 0-1
 * Source: common practice: of percussion only a few low modes outlast the first tens of milliseconds, of strings
 * every partial does; so the bands count alike, whatever their energy. High partials die sooner, and a pick is as
 * bright as a drum, so the low bands tell percussion.
 */
export function suggestMethod(
  source: Source,
  attacks: readonly number[],
  pitch: Pitch,
  level: Float32Array,
  singleLine: number,
): Material {
  const seconds = source.length / source.rate
  const windows = Math.max(1, Math.floor(seconds / REGION_SECONDS))
  const e = energies(source, attacks, windows)
  const edge = (w: number): number => (w === windows ? seconds : w * REGION_SECONDS)
  const texture = (from: number, to: number): Texture =>
    e.texture.between(
      Math.round(from * e.frames),
      to === windows ? framesOf(source) : Math.round(to * e.frames),
    )
  const meter = tonelessMeter(source)
  const parts: Tonelessness[] = []
  const toneless = (from: number, to: number): number => {
    const at = (w: number): number => Math.round(edge(w) * source.rate)
    for (let w = from; w < to; w++) parts[w] ??= meter(at(w), at(w + 1))
    return tonelessness(parts.slice(from, to))
  }
  const counter = partialCounter(source, pitch)
  const counts: Partials[] = []
  const frameAt = (w: number): number => Math.round(edge(w) / pitch.hop)
  const tones = (from: number, to: number): Tones => {
    let [clear, beside] = [0, 0]
    for (let w = from; w < to; w++) {
      const of = (counts[w] ??= counter(edge(w), edge(w + 1)))
      clear += of.clear
      beside += of.beside
    }
    const voiced = pitch.f0.slice(frameAt(from), frameAt(to)).filter((hz) => hz > 0)
    return { clear, beside, middle: voiced.sort()[voiced.length >> 1] ?? 0 }
  }
  const heard = heardFrom(level)
  const clear = (from: number, to: number): Clear =>
    clearBetween(pitch, level, heard, frameAt(from), frameAt(to))
  const between = (from: number, to: number): Suggestion => {
    const [a, b] = [edge(from), edge(to)]
    const shares = attackShares(e, from, to)
    const figures = {
      attackShare: shares.all,
      singleLine: windows === to - from ? singleLine : clear(from, to).share,
      density: attacks.filter((t) => t >= a && t < b).length / Math.max(1e-9, b - a),
    }
    return suggest(
      figures,
      shares,
      texture(from, to),
      () => toneless(from, to),
      () => tones(from, to),
    )
  }
  const methods = Array.from({ length: windows }, (_, w) =>
    clear(w, w + 1).sounding < LEAST_SOUNDING ? undefined : between(w, w + 1).suggested,
  )
  const regions = joinedRegions(regionCuts(methods), between)
  const whole = between(0, windows)
  return {
    ...whole,
    regions:
      regions.length > 1
        ? regions.map(({ from, to, of }) => ({ ...of, start: edge(from), end: edge(to) }))
        : [{ ...whole, start: 0, end: seconds }],
  }
}

/**
 * What is suggested between boundaries, as one where two neighbours get the same: what windows say apart they may not say
 * together.
 *
 * @param cuts windows; @param between what is suggested from one window to another
 */
export function joinedRegions<T extends Pick<Suggestion, 'suggested'>>(
  cuts: readonly number[],
  between: (from: number, to: number) => T,
): { readonly from: number; readonly to: number; readonly of: T }[] {
  const regions: { from: number; to: number; of: T }[] = []
  cuts.reduce((from, to) => {
    const of = between(from, to)
    const last = regions[regions.length - 1]
    if (last?.of.suggested !== of.suggested) regions.push({ from, to, of })
    else regions[regions.length - 1] = { from: last.from, to, of: between(last.from, to) }
    return to
  })
  return regions
}

/**
 * Boundaries between windows where the method changes for good: [0, …, windows].
 *
 * @param methods by window; undefined where too little sounds to tell
 */
export function regionCuts(methods: readonly (SuggestedMethod | undefined)[]): number[] {
  // Only what sounds has a say.
  const told = methods.flatMap((method, at) => (method ? { method, at } : []))
  const cuts = [0]
  let current = mostFrequent(told.slice(0, SHORTEST_REGION).map((t) => t.method))
  let since = 0
  for (let w = 1; w + SHORTEST_REGION <= told.length; w++) {
    const ahead = told.slice(w, w + SHORTEST_REGION)
    const next = ahead[0]!.method
    if (next === current || w - since < SHORTEST_REGION || ahead.some((t) => t.method !== next)) continue
    cuts.push(ahead[0]!.at)
    current = next
    since = w
  }
  cuts.push(methods.length)
  return cuts
}

function mostFrequent(methods: readonly SuggestedMethod[]): SuggestedMethod {
  const counts = new Map<SuggestedMethod, number>()
  for (const m of methods) counts.set(m, (counts.get(m) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 'chords'
}
