// The click: a short synthesised sound on every beat, brighter on beat 1 of a bar.
import { barAt, barOfBeat, type MeterMap } from '../music/meter-map'
import { beatToSeconds, secondsToBeat, type TempoMap } from '../music/tempo-map'

const LENGTH_SECONDS = 0.045

export const CLICK_SOUNDS = ['knock', 'tick', 'bell'] as const
export type ClickSound = (typeof CLICK_SOUNDS)[number]

/** How the click sounds and counts. */
export interface ClickStyle {
  readonly sound: ClickSound
  /** Knocks a beat. */
  readonly parts: 1 | 2 | 3 | 4
  /** Beat 1 is brighter; else all beats are alike. */
  readonly accents: boolean
}
export const DEFAULT_CLICK: ClickStyle = { sound: 'knock', parts: 1, accents: true }

/** What a click marks. */
export type ClickRank = 'bar' | 'beat' | 'part'

/** One click: its session sample and what it marks. */
export interface ClickBeat {
  readonly at: number
  readonly accent: boolean
  readonly rank: ClickRank
}

/** Partials (Hz), decay (seconds) of beat 1 and of other beats. */
const SOUNDS: Record<ClickSound, { bar: [number, number]; beat: [number, number]; decay: number }> = {
  knock: { bar: [1580, 2410], beat: [1050, 1605], decay: 0.006 },
  tick: { bar: [3900, 6100], beat: [2900, 4700], decay: 0.0025 },
  bell: { bar: [1760, 4850], beat: [1175, 3240], decay: 0.012 },
}
const LEVEL: Record<ClickRank, number> = { bar: 0.5, beat: 0.34, part: 0.16 }

/** Two inharmonic partials with a fast decay, from the first sample on. */
function knock(sampleRate: number, sound: ClickSound, rank: ClickRank): Float32Array {
  const out = new Float32Array(Math.round(LENGTH_SECONDS * sampleRate))
  const s = SOUNDS[sound]
  const [low, high] = rank === 'bar' ? s.bar : s.beat
  for (let i = 0; i < out.length; i++) {
    const t = i / sampleRate
    const rise = Math.min(1, t / 0.0004)
    const fall = Math.min(1, (out.length - i) / (0.004 * sampleRate))
    const tone = Math.sin(2 * Math.PI * low * t) + 0.6 * Math.sin(2 * Math.PI * high * t)
    out[i] = LEVEL[rank] * rise * fall * tone * Math.exp(-t / s.decay)
  }
  return out
}

/** Clicks that fall in [from, to) session samples, one or more for each counted beat of the bar. */
export function clickBeats(
  tempo: TempoMap,
  meter: MeterMap,
  sampleRate: number,
  from: number,
  to: number,
  style: ClickStyle = DEFAULT_CLICK,
): ClickBeat[] {
  const out: ClickBeat[] = []
  const last = secondsToBeat(tempo, to / sampleRate)
  for (
    let bar = barOfBeat(meter, secondsToBeat(tempo, from / sampleRate));
    bar.start < last;
    bar = barAt(meter, bar.index + 1)
  )
    for (let n = 0; n < bar.beats * style.parts; n++) {
      const beat = bar.start + (n * bar.beatLength) / style.parts
      const at = Math.round(beatToSeconds(tempo, beat) * sampleRate)
      if (at < from || at >= to) continue
      const accent = n === 0 && style.accents
      out.push({ at, accent, rank: accent ? 'bar' : n % style.parts === 0 ? 'beat' : 'part' })
    }
  return out
}

const knocks = new Map<string, Float32Array>()

/**
 * The click of a range. Any range gives the same samples as that part of the whole.
 *
 * @param from, to session samples
 * @returns `to - from` mono samples
 */
export function clickRange(
  tempo: TempoMap,
  meter: MeterMap,
  sampleRate: number,
  from: number,
  to: number,
  style: ClickStyle = DEFAULT_CLICK,
): Float32Array {
  const out = new Float32Array(to - from)
  const reach = Math.round(LENGTH_SECONDS * sampleRate)
  for (const beat of clickBeats(tempo, meter, sampleRate, from - reach, to, style)) {
    const key = `${sampleRate} ${style.sound} ${beat.rank}`
    const sound = knocks.get(key) ?? knock(sampleRate, style.sound, beat.rank)
    knocks.set(key, sound)
    for (let i = Math.max(0, from - beat.at); i < sound.length && beat.at + i < to; i++)
      out[beat.at + i - from]! += sound[i]!
  }
  return out
}
