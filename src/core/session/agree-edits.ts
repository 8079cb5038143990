// Grid and music are made to agree: how clips are counted, and which of the two moves.
import { InputError } from '../errors'
import { barLength, constantMeter } from '../music/meter-map'
import { beatToSeconds, secondsToBeat, type TempoStep } from '../music/tempo-map'
import { lastAtOrBelow } from '../search'
import type { KnownBeat } from '../timing/clip-map'
import { sourceOfBeat, type Count, type Counted } from '../timing/count'
import { beats, samples } from '../units'
import { findClip, linkedClips, onClips, soundingSeconds } from './find'
import { checkedTempo, keepingSeconds } from './tempo-edits'
import type { Clip, Session } from './types'

/** What a person says about a clip's beats; linked clips are counted alike. */
export function setCount(session: Session, clipId: string, count: Count | null): Session {
  const ids = new Set(linkedClips(session, clipId).map((c) => c.id))
  return onClips(session, ids, (c) => ({ ...c, count }))
}

export interface ToMusic {
  /** A tempo for every bar, or every beat. */
  readonly by: 'bars' | 'beats'
  /** 0-100 %: how far single beats give way to a line through their neighbours. */
  readonly smoothing: number
}

/** Beats that a line through neighbours looks at on either side. */
const NEIGHBOURS = 4

/** Times evened out: each moved towards a straight line through the times around it. */
function smoothed(times: readonly number[], amount: number): number[] {
  if (amount <= 0) return [...times]
  return times.map((t, i) => {
    const from = Math.max(0, i - NEIGHBOURS)
    const around = times.slice(from, Math.min(times.length, i + NEIGHBOURS + 1))
    if (around.length < 3) return t
    const mid = (around.length - 1) / 2
    const mean = around.reduce((s, v) => s + v, 0) / around.length
    let [num, den] = [0, 0]
    around.forEach((v, k) => {
      num += (k - mid) * (v - mean)
      den += (k - mid) ** 2
    })
    return t + (amount / 100) * (mean + (num / den) * (i - from - mid) - t)
  })
}

/** Tempos nearer together than this are one, relative. */
const SAME_TEMPO = 2e-6

/**
 * Moves the grid to the music: the tempo map takes the beats of a counted clip, and the meter map its bars. All that
 * sounds stays as it is, moved as a whole by less than a bar so that bar 1 of the music begins a bar of the session;
 * clips that follow the tempo follow. The clip itself runs at its own speed from then on.
 *
 * @throws InputError when the clip has too few beats, or a tempo would lie outside 10-999 BPM
 */
export function moveGridToMusic(before: Session, clipId: string, counted: Counted, how: ToMusic): Session {
  const { beatsPerBar, beatUnit } = counted
  // A clip that follows the grid cannot lead it.
  const session = releaseClip(before, clipId)
  const seconds = soundingSeconds(session, clipId)
  const chosen = counted.beats.filter(
    (b) => how.by === 'beats' || ((b.n % beatsPerBar) + beatsPerBar) % beatsPerBar === 0,
  )
  if (chosen.length < 2)
    throw new InputError('The recording has too few beats to take a tempo from; say where beat 1 is, or tap.')
  const quarter = 4 / beatUnit
  const times = smoothed(
    chosen.map((b) => seconds(b.source)),
    how.smoothing,
  )
  const first = chosen[0]!
  const steps = times.slice(1).map((t, i) => ({
    n: chosen[i]!.n,
    bpm: ((chosen[i + 1]!.n - chosen[i]!.n) * quarter * 60) / (t - times[i]!),
  }))
  // Bars before bar 1 of the music: as many as its pickup or what comes before it fills.
  const bar = (beatsPerBar * quarter * 60) / steps[0]!.bpm
  const pickup = Math.max(0, Math.ceil(-first.n / beatsPerBar))
  const start = seconds(sourceOfBeat(counted, 0))
  const lead = start < -bar / 2 ? 0 : Math.max(pickup && times[0]! >= 0 ? pickup : 0, Math.round(start / bar))
  const origin = lead * beatsPerBar * quarter
  const map: TempoStep[] = [{ beat: beats(0), bpm: checkedTempo(steps[0]!.bpm) }]
  for (const s of steps) {
    const beat = origin + s.n * quarter
    const last = map[map.length - 1]!
    checkedTempo(s.bpm)
    if (beat <= 0) map[0] = { beat: beats(0), bpm: s.bpm }
    else if (Math.abs(s.bpm / last.bpm - 1) > SAME_TEMPO) map.push({ beat: beats(beat), bpm: s.bpm })
  }
  // Where the music's first chosen beat lies in the new map, against where it sounds now.
  const k = chosen.findIndex((b) => origin + b.n * quarter >= 0)
  const shift = beatToSeconds(map, origin + chosen[k]!.n * quarter) - times[k]!
  return { ...keepingSeconds(session, map, shift), meter: constantMeter(beatsPerBar, beatUnit) }
}

export interface ToGrid {
  /** Bars on bars, with the feel inside them left; or every beat on a beat. */
  readonly by: 'bars' | 'beats'
}

/**
 * Moves the music to the grid: clips get their beats put on the session's, and follow its tempo from now on; their
 * pins, which were places on the old grid, are taken out.
 *
 * @param guide   id of the clip that is counted; its beats count for all
 * @param clipIds clips to conform, the guide among them or not
 * @param attacks of a clip, recording samples, rising: the stretch changes on them where one is at a beat, so that no
 *                attack is cut in two; it keeps its distance from the beat
 * @throws InputError when the guide has too few beats
 */
export function moveMusicToGrid(
  session: Session,
  guide: string,
  counted: Counted,
  clipIds: readonly string[],
  how: ToGrid,
  attacks: (clipId: string) => readonly number[] = () => [],
): Session {
  const { beatsPerBar, beatUnit } = counted
  const quarter = 4 / beatUnit
  const chosen = counted.beats.filter(
    (b) => how.by === 'beats' || ((b.n % beatsPerBar) + beatsPerBar) % beatsPerBar === 0,
  )
  if (chosen.length < 2)
    throw new InputError(
      'The recording has too few beats to be moved to the grid; say where beat 1 is, or tap.',
    )
  const seconds = soundingSeconds(session, guide)
  const meter = followersOf(session).length === 0 ? constantMeter(beatsPerBar, beatUnit) : session.meter
  const bar = barLength(meter[0]!)
  const one = secondsToBeat(session.tempo, seconds(sourceOfBeat(counted, 0)))
  const origin = Math.max(0, Math.round(one / bar)) * bar
  const knownBy = (id: string): KnownBeat[] => {
    const { recording } = findClip(session, id)!
    const own = guide === id ? undefined : sourceAt(session, id)
    const known = chosen
      .map((b): KnownBeat => {
        const source = own ? own(seconds(b.source)) : b.source
        return { source: samples(source), beat: beats(origin + b.n * quarter) }
      })
      .map(onAttacks(attacks(id), recording.sampleRate))
      .filter((b, i, all) => i === 0 || b.source > all[i - 1]!.source)
    const inside = known.filter(
      (b) => b.source > -recording.sampleRate && b.source < recording.length + recording.sampleRate,
    )
    return inside.length >= 2 ? inside : known
  }
  // Microphones of one performance get the beats of one of them, the guide before all, sample for sample.
  const decided = new Map<string, readonly KnownBeat[]>()
  for (const id of [...clipIds].sort((x, y) => Number(y === guide) - Number(x === guide))) {
    if (decided.has(id)) continue
    const known = knownBy(id)
    for (const c of linkedClips(session, id)) decided.set(c.id, known)
  }
  const conformed = onClips(session, new Set(decided.keys()), (clip) => {
    const known = decided.get(clip.id)!
    const place = beats(beatOn(known, clip.start))
    return { ...clip, base: { kind: 'beats', beats: known }, place, pins: [] }
  })
  return { ...conformed, meter }
}

/** Attacks so near to a beat are at it: seconds, and share of the distance of beats. */
const AT_BEAT = 0.03
const AT_BEAT_SHARE = 0.25

/** Moves known beats onto the attacks at them, on the line that they lie on. */
function onAttacks(
  attacks: readonly number[],
  rate: number,
): (b: KnownBeat, i: number, all: readonly KnownBeat[]) => KnownBeat {
  return (b, i, all) => {
    const other = all[i + 1] ?? all[i - 1]
    const k = lastAtOrBelow(attacks.length, (n) => attacks[n]!, b.source)
    const [before, after] = [attacks[k] ?? -Infinity, attacks[k + 1] ?? Infinity]
    const near = b.source - before < after - b.source ? before : after
    if (!other) return b
    const gap = Math.abs(other.source - b.source)
    if (!(Math.abs(near - b.source) < Math.min(AT_BEAT * rate, AT_BEAT_SHARE * gap))) return b
    const slope = (other.beat - b.beat) / (other.source - b.source)
    return { source: samples(near), beat: beats(b.beat + slope * (near - b.source)) }
  }
}

/** The inverse of `soundingSeconds`, by bisection: recording place that sounds at a second. */
function sourceAt(session: Session, clipId: string): (second: number) => number {
  const { clip, recording } = findClip(session, clipId)!
  const at = soundingSeconds(session, clipId)
  const reach = 60 * recording.sampleRate
  return (second) => {
    let [lo, hi] = [clip.start - reach, clip.end + reach]
    while (hi - lo > 0.01) {
      const mid = (lo + hi) / 2
      if (at(mid) < second) lo = mid
      else hi = mid
    }
    return (lo + hi) / 2
  }
}

/** Beat of a recording place on known beats; beyond their ends the nearest interval goes on. */
function beatOn(known: readonly KnownBeat[], source: number): number {
  let i = known.findIndex((b) => b.source > source) - 1
  if (i === -2) i = known.length - 2
  const [a, b] = [
    known[Math.max(0, Math.min(i, known.length - 2))]!,
    known[Math.max(1, Math.min(i + 1, known.length - 1))]!,
  ]
  return a.beat + ((source - a.source) * (b.beat - a.beat)) / (b.source - a.source)
}

/** Clips that follow the tempo. */
export const followersOf = (session: Session): Clip[] =>
  session.tracks.flatMap((t) => t.clips.filter((c) => c.base.kind === 'beats'))

/** Lets a clip run at its own speed again, from where it starts now; its pins are taken out. */
export function releaseClip(session: Session, clipId: string): Session {
  const ids = new Set(linkedClips(session, clipId).map((c) => c.id))
  return onClips(session, ids, (c) =>
    c.base.kind === 'speed' ? c : { ...c, base: { kind: 'speed' }, pins: [] },
  )
}
