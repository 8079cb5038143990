// What a recording is made of, as far as the choice of a stretch method needs it.
import { bankIn, bankRoom, logFilterBank } from '../dsp/filterbank'
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { workspace } from '../dsp/kernels/kernels'
import { meanMagnitudes } from '../dsp/stft'
import { hann } from '../dsp/windows'
import type { Pitch } from './pitch/track'
import type { Source } from './source'
import { textureMeter, type Texture, type TextureMeter } from './texture'

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

const ATTACK_SECONDS = 0.06
/** From this share on a recording is percussive; from the lesser on, percussion plays along. */
const PERCUSSIVE = 0.72
const WITH_PERCUSSION = 0.5
const SINGLE = 0.7
/** Fewer attacks a second than this, without pitch: a texture. */
const TEXTURE_DENSITY = 0.4
/** A texture is noise to this share at least, and its level makes steps and has a spread of no more than these, dB. */
const NOISE = 0.93
const STEPS = 6
const SPREAD = 7
const WINDOW_SECONDS = 0.011
/** Bands further below the strongest than this do not count, power ratio. */
const QUIET = 1e-4
/** Regions are judged by windows of this length, and none is shorter than three. */
const REGION_SECONDS = 3
const SHORTEST_REGION = 3

const percent = (x: number): string => `${Math.round(100 * x)} %`

/** Energy by window and band, and how much of it lies near attacks. */
interface Energies {
  readonly bands: number
  readonly total: Float64Array
  readonly near: Float64Array
  readonly texture: TextureMeter
  /** Frames of the texture a window. */
  readonly frames: number
}

const hopOf = (rate: number): number => nextPowerOfTwo(WINDOW_SECONDS * rate)
const framesOf = (source: Source): number => Math.ceil(source.length / hopOf(source.rate))

function energies(source: Source, attacks: readonly number[], windows: number): Energies {
  const { rate, length } = source
  const size = hopOf(rate)
  const hop = size
  const bank = logFilterBank(size, rate, 3, 60, 10000)
  const fft = realFft(size)
  const space = workspace(4 * size + bank.count + bankRoom(bank))
  const applied = bankIn(space, bank)
  const window = space.floats(size)
  window.set(hann(size))
  const frame = space.floats(size)
  const spectrum = space.floats(size)
  const mags = space.floats(size / 2 + 1)
  const bands = space.floats(bank.count)
  const total = new Float64Array(windows * bank.count)
  const near = new Float64Array(windows * bank.count)
  const texture = textureMeter(size, rate, framesOf(source))
  let k = -1
  for (let at = 0; at < length; at += hop) {
    source.copy(0, at - size / 2, frame)
    space.run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
    fft.forward(frame, spectrum)
    meanMagnitudes(space.run, [spectrum], mags)
    applied(mags, bands)
    texture.add(mags)
    const seconds = at / rate
    while (k + 1 < attacks.length && attacks[k + 1]! - hop / rate <= seconds) k++
    const inside = k >= 0 && seconds - attacks[k]! < ATTACK_SECONDS
    const base = Math.min(windows - 1, Math.floor(seconds / REGION_SECONDS)) * bank.count
    for (let b = 0; b < bank.count; b++) {
      const power = bands[b]! * bands[b]!
      total[base + b]! += power
      if (inside) near[base + b]! += power
    }
  }
  return { bands: bank.count, total, near, texture, frames: (REGION_SECONDS * rate) / hop }
}

/** Mean over bands of the share of each band's energy near attacks, over windows [from, to). */
function attackShare(e: Energies, from: number, to: number): number {
  const total = new Float64Array(e.bands)
  const near = new Float64Array(e.bands)
  for (let w = from; w < to; w++)
    for (let b = 0; b < e.bands; b++) {
      total[b]! += e.total[w * e.bands + b]!
      near[b]! += e.near[w * e.bands + b]!
    }
  const floor = QUIET * Math.max(...total) + 1e-30
  let sum = 0
  let count = 0
  for (let b = 0; b < e.bands; b++)
    if (total[b]! > floor) {
      sum += near[b]! / total[b]!
      count++
    }
  return count ? sum / count : 0
}

/** The method that figures speak for. */
function suggest(f: Figures, t: Texture): Suggestion {
  const first = `${percent(f.attackShare)} of the energy is in attacks, ${f.density.toFixed(1)} of them a second.`
  const line = `${percent(f.singleLine)} of the sounding time has one clear pitch.`
  const say = (suggested: SuggestedMethod, why: string): Suggestion => ({
    ...f,
    suggested,
    reasons: [first, line, why],
  })
  if (f.singleLine < 0.05 && t.noise > NOISE && t.steps < STEPS && t.spread < SPREAD)
    return say(
      'grains',
      `It is noise at an even level (steps of ${t.steps.toFixed(1)} dB), so density and colour matter most.`,
    )
  if (f.attackShare > PERCUSSIVE && f.density > 0.2)
    return say('hits', 'The sounds are struck and short, so attacks matter most.')
  if (f.singleLine > SINGLE) return say('line', 'One note sounds at a time, so its wave shape can be kept.')
  if (f.density < TEXTURE_DENSITY && f.singleLine < 0.05 && f.attackShare < 0.2)
    return say('grains', 'Neither attacks nor pitch stand out, so density and colour matter most.')
  if (f.attackShare > WITH_PERCUSSION)
    return say('mix', 'Struck sounds and tones go together, so each is treated apart.')
  return say('chords', 'The sounds ring on together, so their tone matters most.')
}

/**
 * Suggests a stretch method from how the energy is spread around the attacks and how much is one clear pitch.
 *
 * @param source one channel; @param attacks seconds, in rising order; @param pitch of the same recording
 * @param singleLine its single-note confidence, 0-1
 * Source: common practice: of percussion only a few low modes outlast the first tens of milliseconds, of strings
 * every partial does; so the bands count alike, whatever their energy.
 */
export function suggestMethod(
  source: Source,
  attacks: readonly number[],
  pitch: Pitch,
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
  const between = (from: number, to: number): Suggestion => {
    const [a, b] = [edge(from), edge(to)]
    const figures = {
      attackShare: attackShare(e, from, to),
      singleLine: windows === to - from ? singleLine : clearShare(pitch, a, b),
      density: attacks.filter((t) => t >= a && t < b).length / Math.max(1e-9, b - a),
    }
    return suggest(figures, texture(from, to))
  }
  const whole = between(0, windows)
  const cuts = regionCuts(Array.from({ length: windows }, (_, w) => between(w, w + 1).suggested))
  const regions =
    cuts.length > 2
      ? cuts.slice(1).map((to, i) => ({
          ...between(cuts[i]!, to),
          start: edge(cuts[i]!),
          end: edge(to),
        }))
      : [{ ...whole, start: 0, end: seconds }]
  return { ...whole, regions }
}

/** Share of voiced frames between two times. */
function clearShare(pitch: Pitch, from: number, to: number): number {
  const a = Math.round(from / pitch.hop)
  const b = Math.min(pitch.f0.length, Math.round(to / pitch.hop))
  let voiced = 0
  for (let f = a; f < b; f++) if (pitch.f0[f]! > 0) voiced += pitch.voicing[f]!
  return voiced / Math.max(1, b - a)
}

/** Boundaries between windows where the method changes for good: [0, …, windows]. */
export function regionCuts(methods: readonly SuggestedMethod[]): number[] {
  const cuts = [0]
  let current = mostFrequent(methods.slice(0, SHORTEST_REGION))
  for (let w = 1; w + SHORTEST_REGION <= methods.length; w++) {
    const ahead = methods.slice(w, w + SHORTEST_REGION)
    const lasts = ahead.every((m) => m === ahead[0]) && ahead[0] !== current
    if (lasts && w - cuts[cuts.length - 1]! >= SHORTEST_REGION) {
      cuts.push(w)
      current = ahead[0]!
    }
  }
  cuts.push(methods.length)
  return cuts
}

function mostFrequent(methods: readonly SuggestedMethod[]): SuggestedMethod {
  const counts = new Map<SuggestedMethod, number>()
  for (const m of methods) counts.set(m, (counts.get(m) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 'chords'
}
