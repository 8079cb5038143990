// The plan: which pieces sound where. A pure function of the session and its findings.
import { attackPlaces, ticksOf, type Protected, type TransientSettings } from '../analysis/select'
import type { Transient } from '../analysis/transients'
import type { TempoMap } from '../music/tempo-map'
import { audibleTracks, findClip, linkedClips, mapContext } from '../session/find'
import type { Clip, Recording, Session, Track } from '../session/types'
import { cornersAfterAttacks } from '../stretch/corners'
import { led } from '../stretch/leads'
import { isReshaped, isVerbatim, protectedBy, spansOf } from '../stretch/spans'
import { DEFAULT_STRETCH, type Quality, type Span, type StretchSettings } from '../stretch/types'
import { clipMap } from '../timing/clip-map'
import { withKnotsAt, type TimeMap } from '../timing/time-map'
import { centsToRatio } from '../units'
import { hashText } from '../hash'

/** Bump when any rendering changes its samples. */
const RENDER_VERSION = 33

/** A span of one performance with everything that shapes its samples; equal keys, equal samples. */
export interface Piece {
  readonly key: string
  /** Recordings rendered together (the microphones of one performance), their channels one after another. */
  readonly recordings: readonly string[]
  readonly span: Span
  readonly settings: StretchSettings
  /** Session rate, at which the recordings are read. */
  readonly sampleRate: number
}

/** A piece on the time line: which of its channels sound from which session sample on. */
export interface Placed {
  readonly piece: Piece
  readonly at: number
  readonly firstChannel: number
  readonly channels: number
}

export interface PlannedClip {
  readonly clipId: string
  /** Linear gain of clip and track together. */
  readonly gain: number
  readonly pan: number
  readonly start: number
  readonly end: number
  /** Fade lengths, samples. */
  readonly fadeIn: number
  readonly fadeOut: number
  /** In order, end to end. */
  readonly placed: readonly Placed[]
}

/** All that sounds. Samples count from session second 0; a plan may start before it. */
export interface Plan {
  readonly sampleRate: number
  readonly start: number
  readonly end: number
  /** Channels of the mix. */
  readonly channels: number
  readonly clips: readonly PlannedClip[]
}

/** Transient candidates of a recording, by its id; none before it has been analysed. */
export type Findings = (recordingId: string) => readonly Transient[]

export interface PlanOptions {
  readonly quality: Quality
  /** Plan the recordings as they were played, without any edit of time or pitch. */
  readonly original?: boolean
  /** Only these tracks, whether muted or not. */
  readonly tracks?: readonly string[]
}

const dbToGain = (db: number): number => (db === 0 ? 1 : 10 ** (db / 20))

function settingsOf(track: Track, clip: Clip, o: PlanOptions): StretchSettings {
  const pitch = o.original ? 1 : centsToRatio(100 * clip.semitones + clip.cents)
  const s = {
    method: track.method.method,
    quality: o.quality,
    fill: track.method.fill,
    tail: track.method.tail,
    size: track.method.size,
    scatter: track.method.scatter,
  }
  return {
    ...DEFAULT_STRETCH,
    ...s,
    pitch,
    formants: clip.formants,
    formantShift: o.original ? 0 : clip.formantShift,
  }
}

/** Maps by clip, which is never changed but replaced: planning and drawing ask for the same ones. */
const mapped = new WeakMap<
  Clip,
  { readonly tempo: TempoMap; readonly rate: number; readonly recording: Recording; readonly map: TimeMap }
>()

/** Time map of a clip; with `original`, at its own speed from its place. */
export function mapOf(session: Session, clip: Clip, recording: Recording, original = false): TimeMap {
  if (original) return clipMap({ ...clip, pins: [], base: { kind: 'speed' } }, mapContext(session, recording))
  const { tempo, sampleRate: rate } = session
  const known = mapped.get(clip)
  if (known?.tempo === tempo && known.rate === rate && known.recording === recording) return known.map
  const map = clipMap(clip, mapContext(session, recording))
  mapped.set(clip, { tempo, rate, recording, map })
  return map
}

/** Attacks in force by the candidates they were chosen from: they change with the detection only. */
const chosen = new WeakMap<
  readonly Transient[],
  {
    readonly settings: TransientSettings
    readonly rate: number
    readonly kept: Protected
    readonly places: readonly number[]
  }
>()

/** Attacks in force of one clip, recording samples, rising. */
function attacksIn(
  candidates: readonly Transient[],
  settings: TransientSettings,
  rate: number,
  kept: Protected,
): readonly number[] {
  const known = chosen.get(candidates)
  if (
    known?.settings === settings &&
    known.rate === rate &&
    known.kept.later === kept.later &&
    known.kept.slurs === kept.slurs
  )
    return known.places
  const ticks = ticksOf(candidates, settings, rate).filter((t) => !t.muted)
  const places: readonly number[] = attackPlaces(ticks, kept)
  chosen.set(candidates, { settings, rate, kept, places })
  return places
}

/** Attacks of a clip and its linked clips, in session-rate recording samples, rising. */
function attacksOf(
  session: Session,
  clips: readonly Clip[],
  findings: Findings,
  kept: Protected,
): readonly number[] {
  const lists = clips.map((clip) => {
    const { sampleRate } = findClip(session, clip.id)!.recording
    const places = attacksIn(findings(clip.recording), clip.transients, sampleRate, kept)
    const scale = session.sampleRate / sampleRate
    return scale === 1 ? places : places.map((at) => Math.round(at * scale))
  })
  return lists.length === 1 ? lists[0]! : [...new Set(lists.flat())].sort((a, b) => a - b)
}

/** Least distance of a protected attack from a knot or another attack, seconds; nearer ones share its protection. */
const ATTACKS_APART = 0.008

function thin(attacks: readonly number[], map: TimeMap, sampleRate: number): number[] {
  const least = ATTACKS_APART * sampleRate
  let k = 0
  let last = -Infinity
  return attacks.filter((a) => {
    while (k < map.length && map[k]!.source < a) k++
    const next = map[k]?.source ?? Infinity
    if (next !== a && Math.min(a - (map[k - 1]?.source ?? -Infinity), next - a, a - last) < least)
      return false
    last = a
    return true
  })
}

/** Longest verbatim piece, seconds, so that pieces stay handy. */
const LONGEST_COPY = 30

function splitCopies(map: TimeMap, sampleRate: number): TimeMap {
  const step = LONGEST_COPY * sampleRate
  const places: number[] = []
  map.slice(1).forEach((end, i) => {
    const start = map[i]!
    if (end.source - start.source === end.target - start.target)
      for (let p = start.source + step; p < end.source; p += step) places.push(p)
  })
  return withKnotsAt(map, places)
}

/** A piece whose key is put together only when somebody asks: of a song's thousands of pieces few are near the playhead. */
class KeyedPiece implements Piece {
  private made: string | undefined
  constructor(
    readonly recordings: readonly string[],
    readonly span: Span,
    readonly settings: StretchSettings,
    readonly sampleRate: number,
    private readonly source: string,
    private readonly sound: string,
  ) {}

  get key(): string {
    const { span, source, sound, settings } = this
    this.made ??= isVerbatim(span, settings)
      ? `${source} ${span.from} ${span.to}`
      : `${source} ${sound} ${spanKey(span)}`
    return this.made
  }
}

/** A span in a few characters. */
function spanKey(s: Span): string {
  const flags = [s.attackAtStart, s.attackAtEnd, s.joinsStart, s.joinsEnd, s.ringsOn]
    .map((f) => (f ? 1 : 0))
    .join('')
  const curve = s.curve ? JSON.stringify(s.curve) : ''
  const tones = `${s.lead?.ringsOn ?? ''} ${s.shiftAtStart ?? 0} ${s.shiftAtEnd ?? 0}`
  return `${s.from} ${s.to} ${s.length} ${flags} ${tones}${curve}`
}

function planClip(
  session: Session,
  track: Track,
  clip: Clip,
  findings: Findings,
  o: PlanOptions,
): PlannedClip {
  const { recording } = findClip(session, clip.id)!
  const linked = linkedClips(session, clip.id)
  // One order for the whole group, so that every member asks for the same piece.
  const group = session.tracks.flatMap((t) => t.clips.filter((c) => linked.some((l) => l.id === c.id)))
  const recordings = group.map((c) => c.recording)
  const settings = settingsOf(track, clip, o)
  const whole = mapOf(session, clip, recording, o.original)
  const struck = attacksOf(session, group, findings, protectedBy(settings.method))
  const scale = session.sampleRate / recording.sampleRate
  // Pins are promises; what bends elsewhere, on beats or where the tempo changes, may wait for an attack.
  const pins = new Set(clip.pins.map((p) => Math.round(p.source * scale)))
  const settled = cornersAfterAttacks(whole, struck, session.sampleRate, pins)
  const map = isReshaped(settings) ? settled : splitCopies(settled, session.sampleRate)
  const attacks = thin(struck, map, session.sampleRate)
  // Where nothing is bent, tones are as in the recording, wherever the clip is.
  const first = group[0]!
  const [unbent] = mapOf(session, first, findClip(session, first.id)!.recording, true)
  const spans = led(
    spansOf(map, attacks, isReshaped(settings)),
    map,
    settings,
    session.sampleRate,
    unbent!.target - unbent!.source,
  )
  const before = group.slice(
    0,
    group.findIndex((c) => c.id === clip.id),
  )
  const channelsOf = (c: Clip): number => session.recordings.find((r) => r.id === c.recording)!.channels
  const firstChannel = before.reduce((sum, c) => sum + channelsOf(c), 0)
  let at = map[0]!.target
  // What all spans share is hashed once; a song has thousands of spans.
  const source = hashText(JSON.stringify([RENDER_VERSION, session.sampleRate, recordings]))
  const sound = hashText(JSON.stringify(settings))
  const placed = spans.map((span): Placed => {
    const here = {
      piece: new KeyedPiece(recordings, span, settings, session.sampleRate, source, sound),
      at,
      firstChannel,
      channels: recording.channels,
    }
    at += span.length
    return here
  })
  return {
    clipId: clip.id,
    gain: dbToGain(track.gain + clip.gain),
    pan: track.pan,
    start: map[0]!.target,
    end: at,
    fadeIn: Math.round(clip.fadeIn * session.sampleRate),
    fadeOut: Math.round(clip.fadeOut * session.sampleRate),
    placed,
  }
}

/** First session sample of a clip and the one after its last. */
function extentOf(session: Session, clip: Clip, original = false): [number, number] {
  const map = mapOf(session, clip, findClip(session, clip.id)!.recording, original)
  return [map[0]!.target, map[map.length - 1]!.target]
}

/**
 * Plans a session.
 *
 * @param findings transient candidates by recording
 * @returns the pieces of every audible track; mono when all of it is mono and central, else stereo (or as many
 *          channels as the widest recording has)
 */
export function planSession(session: Session, findings: Findings, o: PlanOptions): Plan {
  const tracks = o.tracks ? session.tracks.filter((t) => o.tracks!.includes(t.id)) : audibleTracks(session)
  const clips = tracks.flatMap((t) => t.clips.map((c) => planClip(session, t, c, findings, o)))
  // Silent tracks count too, so that muting one changes no length and stems fit together.
  const known = new Map(clips.map((c) => [c.clipId, [c.start, c.end] as const]))
  const ends = session.tracks.flatMap((t) =>
    t.clips.map((c) => known.get(c.id) ?? extentOf(session, c, o.original)),
  )
  const width = Math.max(
    1,
    ...session.tracks.flatMap((t) => t.clips.map((c) => findClip(session, c.id)!.recording.channels)),
  )
  const panned = session.tracks.some((t) => t.pan !== 0)
  return {
    sampleRate: session.sampleRate,
    start: Math.min(0, ...ends.map((e) => e[0])),
    end: Math.max(0, ...ends.map((e) => e[1])),
    channels: Math.max(width, panned ? 2 : 1),
    clips,
  }
}
