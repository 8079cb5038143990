// The transients in force: candidates filtered by sensitivity and gap, then the person's own corrections.
import { samples, type Samples } from '../units'
import type { Transient } from './transients'

/** How candidates are filtered, and what was changed by hand. */
export interface TransientSettings {
  /** 0-100: how weak a transient may be. */
  readonly sensitivity: number
  /** Least time between two transients, milliseconds; of two nearer ones the stronger stays. */
  readonly minGap: number
  /** Detected at the wrong moment: heard at `to` instead. */
  readonly moved: readonly { readonly from: Samples; readonly to: Samples }[]
  /** Added by hand. */
  readonly added: readonly Samples[]
  /** Detected, but not a note: kept out until they are unmuted. */
  readonly muted: readonly Samples[]
}

export const DEFAULT_TRANSIENTS: TransientSettings = {
  sensitivity: 60,
  minGap: 40,
  moved: [],
  added: [],
  muted: [],
}

/** A transient as the desks use it. */
export interface Tick extends Transient {
  /** Where the detection had it; identifies the tick across corrections. */
  readonly id: Samples
  readonly origin: 'found' | 'moved' | 'added'
  readonly muted: boolean
}

/** Weakest strength that passes a sensitivity of 0-100. */
export const strengthFloor = (sensitivity: number): number => 0.9 * (1 - sensitivity / 100) ** 1.1 + 0.07

/**
 * Applies sensitivity and minimum gap, strongest first.
 *
 * @param candidates in rising order; @returns those that stay, in rising order
 */
export function selectTransients(
  candidates: readonly Transient[],
  sensitivity: number,
  minGapMs: number,
  sampleRate: number,
): Transient[] {
  const floor = strengthFloor(sensitivity)
  const gap = (minGapMs / 1000) * sampleRate
  const strong = candidates.filter((t) => t.strength >= floor)
  const kept = new Array<boolean>(strong.length).fill(false)
  const order = strong.map((_, i) => i).sort((a, b) => strong[b]!.strength - strong[a]!.strength || a - b)
  for (const i of order) {
    const near = (step: 1 | -1): boolean => {
      for (let k = i + step; k >= 0 && k < strong.length; k += step) {
        if (Math.abs(strong[k]!.at - strong[i]!.at) >= gap) return false
        if (kept[k]) return true
      }
      return false
    }
    kept[i] = !near(1) && !near(-1)
  }
  return strong.filter((_, i) => kept[i])
}

/**
 * The ticks of a recording: selected candidates with the corrections applied.
 *
 * A moved or muted candidate stays in whatever the sensitivity, since somebody has spoken for it.
 *
 * @returns in rising order of `at`
 */
export function ticksOf(candidates: readonly Transient[], s: TransientSettings, sampleRate: number): Tick[] {
  const moved = new Map(s.moved.map((m) => [m.from as number, m.to]))
  const muted = new Set<number>(s.muted)
  const chosen = new Set<number>(
    selectTransients(candidates, s.sensitivity, s.minGap, sampleRate).map((t) => t.at),
  )
  const out: Tick[] = []
  for (const t of candidates) {
    const to = moved.get(t.at)
    const parts = t.parts?.filter((p) => p > (to ?? t.at))
    if (!chosen.has(t.at) && to === undefined && !muted.has(t.at)) continue
    out.push({
      id: t.at,
      at: to ?? t.at,
      strength: t.strength,
      ...(parts?.length ? { parts } : {}),
      ...(t.slurred && to === undefined ? { slurred: t.slurred } : {}),
      origin: to === undefined ? 'found' : 'moved',
      muted: muted.has(t.at),
    })
  }
  for (const at of s.added) {
    const to = moved.get(at)
    out.push({ id: at, at: to ?? at, strength: 1, origin: 'added', muted: muted.has(at) })
  }
  return out.sort((a, b) => a.at - b.at || a.id - b.id)
}

/** Notes nearer than this are rarely meant: 32nd notes at 125 BPM. Seconds. */
const NEAR = 0.06

/** Where a larger share of the notes has several attacks, and more than a few, that is how the take is played: strums. */
const STRUMMED = 0.25
const FEW = 2
/** Even there a note this many times as spread as most of those is worth a look. */
const SLOW = 2

/**
 * Near-doubles, which deserve a look: the first of two notes so near to each other that one of them may be a mistake
 * of the player or of the detection, and a note with several attacks where few have them (a flam), or where its own
 * lie unusually far apart (a slow strum). Muted ticks are none.
 *
 * @param ticks in rising order; @returns their ids, in rising order of place
 */
export function nearDoubles(ticks: readonly Tick[], sampleRate: number): Samples[] {
  const active = ticks.filter((t) => !t.muted)
  const spread = (t: Tick): number => Math.max(...(t.parts ?? [t.at])) - t.at
  const spreads = active
    .filter((t) => t.parts)
    .map(spread)
    .sort((a, b) => a - b)
  const most =
    spreads.length > Math.max(FEW, STRUMMED * active.length) ? SLOW * spreads[spreads.length >> 1]! : 0
  return active
    .filter((t, i) => spread(t) > most || (active[i + 1]?.at ?? Infinity) - t.at < NEAR * sampleRate)
    .map((t) => t.id)
}

/** Which attacks a method of stretching protects. */
export interface Protected {
  /** The later ones of each event, too. */
  readonly later: boolean
  /** Of notes that are slurred to the one before all, or only those with a stroke over them. */
  readonly slurs: 'all' | 'struck' | 'none'
}

/** Attacks that a stretch protects, in rising order. */
export const attackPlaces = (events: readonly Transient[], { later, slurs }: Protected): Samples[] =>
  events
    .filter((t) => !t.slurred || slurs === 'all' || slurs === t.slurred)
    .flatMap((t) => (later && t.parts ? [t.at, ...t.parts] : [t.at]))
    .sort((a, b) => a - b)

/**
 * The zero crossing nearest to a place, in the sum of the channels.
 *
 * @param within farthest distance, samples; @returns the place itself when there is none
 */
export function nearestZeroCrossing(channels: readonly Float32Array[], at: number, within: number): Samples {
  const value = (i: number): number => channels.reduce((sum, c) => sum + (c[i] ?? 0), 0)
  const length = channels[0]?.length ?? 0
  for (let d = 0; d <= within; d++)
    for (const i of [at - d, at + d]) {
      if (i < 1 || i >= length) continue
      const a = value(i - 1)
      const b = value(i)
      if (b === 0 || a < 0 !== b < 0) return samples(i)
    }
  return samples(at)
}
