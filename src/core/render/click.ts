// The click: a short synthesised knock on every beat, brighter on beat 1 of a bar.
import { barAt, barOfBeat, type MeterMap } from '../music/meter-map'
import { beatToSeconds, secondsToBeat, type TempoMap } from '../music/tempo-map'

const LENGTH_SECONDS = 0.045

/** One beat of the click: its session sample and whether it is beat 1 of a bar. */
export interface ClickBeat {
  readonly at: number
  readonly accent: boolean
}

/** A knock: two inharmonic partials with a fast decay, from its first sample on. */
function knock(sampleRate: number, accent: boolean): Float32Array {
  const out = new Float32Array(Math.round(LENGTH_SECONDS * sampleRate))
  const [low, high] = accent ? [1580, 2410] : [1050, 1605]
  const level = accent ? 0.5 : 0.34
  for (let i = 0; i < out.length; i++) {
    const t = i / sampleRate
    const rise = Math.min(1, t / 0.0004)
    const tone = Math.sin(2 * Math.PI * low * t) + 0.6 * Math.sin(2 * Math.PI * high * t)
    out[i] = level * rise * tone * Math.exp(-t / 0.006)
  }
  return out
}

/** Beats that fall in [from, to) session samples, one for each `denominator`-th note of the bar. */
export function clickBeats(
  tempo: TempoMap,
  meter: MeterMap,
  sampleRate: number,
  from: number,
  to: number,
): ClickBeat[] {
  const out: ClickBeat[] = []
  const last = secondsToBeat(tempo, to / sampleRate)
  for (
    let bar = barOfBeat(meter, secondsToBeat(tempo, from / sampleRate));
    bar.start < last;
    bar = barAt(meter, bar.index + 1)
  )
    for (let n = 0; n < bar.numerator; n++) {
      const at = Math.round(beatToSeconds(tempo, bar.start + (n * 4) / bar.denominator) * sampleRate)
      if (at >= from && at < to) out.push({ at, accent: n === 0 })
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
): Float32Array {
  const out = new Float32Array(to - from)
  const reach = Math.round(LENGTH_SECONDS * sampleRate)
  for (const beat of clickBeats(tempo, meter, sampleRate, from - reach, to)) {
    const key = `${sampleRate} ${beat.accent}`
    const sound = knocks.get(key) ?? knock(sampleRate, beat.accent)
    knocks.set(key, sound)
    for (let i = Math.max(0, from - beat.at); i < sound.length && beat.at + i < to; i++)
      out[beat.at + i - from]! += sound[i]!
  }
  return out
}
