// The commands: each reads files, calls the core, writes files.
import { readOptions, type Options } from './options'
import { Stopwatch, warnOfPeak } from './report'
import { render } from './render-session'
import { readAudio, readBytes, writeAudio, writeJson } from './files'
import { lengthOf, type AudioData } from '../core/audio/buffer'
import type { DecodedFile } from '../core/audio/pcm'
import { attackPlaces } from '../core/analysis/select'
import { knowsAttacks, protectedBy } from '../core/stretch/spans'
import {
  analyse,
  defaultAttacks,
  materialOf,
  measure,
  transientsIn,
  type Findings,
} from '../core/analysis/analyse'
import { statedTempos } from '../core/analysis/beats/stated'
import type { Transient } from '../core/analysis/transients'
import { loadFft } from '../core/dsp/fft'
import { InputError } from '../core/errors'
import { parseMapFile } from '../core/formats/map-file'
import { tempoInTags } from '../core/formats/tags'
import { notesPerBeat } from '../core/music/meter-map'
import { noteName } from '../core/music/note-names'
import type { Division } from '../core/music/grid'
import { beatToSeconds } from '../core/music/tempo-map'
import { peakOf } from '../core/render/levels'
import { mixRange } from '../core/render/mix'
import { renderPiece } from '../core/render/piece'
import { mapOf, planSession } from '../core/render/plan'
import { DEFAULT_METHOD, newSession, newTrack } from '../core/session/create'
import { addTrack, setTempo } from '../core/session/edits'
import { placeNotes } from '../core/session/pin-edits'
import type { Recording, Session } from '../core/session/types'
import { stretchAudio } from '../core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName, type StretchSettings } from '../core/stretch/types'
import { proposeQuantize, type Move } from '../core/timing/quantize'
import { AS_FOUND, countBeats, sourceOfBeat } from '../core/timing/count'
import { timeMap, toTarget, type TimeMap } from '../core/timing/time-map'
import { findBeats, type BeatFindings } from '../core/analysis/beats/track'
import { moveMusicToGrid } from '../core/session/agree-edits'
import { beats, centsToRatio, samples } from '../core/units'

const SOUND = ['engine', 'quality', 'bits'] as const

async function open(path: string): Promise<DecodedFile> {
  const file = await readAudio(path)
  for (const w of file.warnings) process.stderr.write(`${w}\n`)
  await loadFft()
  return file
}

interface Detected {
  readonly candidates: readonly Transient[]
  /** Transients in force. */
  readonly events: readonly Transient[]
  /** The method asked for, or the one that suits. */
  readonly method: MethodName
}

/** The method that was asked for, if it was not left to the material. */
const askedFor = ({ engine }: Options): MethodName | undefined => (engine === 'auto' ? undefined : engine)

function detect({ channels, sampleRate }: AudioData, o: Options): Detected {
  const asked = askedFor(o)
  const measured = asked ? undefined : measure(channels, sampleRate)
  const candidates = measured?.transients ?? transientsIn(channels, sampleRate)
  return {
    candidates,
    events: defaultAttacks(candidates, sampleRate),
    method: asked ?? materialOf(channels, sampleRate, measured!).suggested,
  }
}

function soundOf(o: Options, method: MethodName): StretchSettings {
  const pitch = centsToRatio(100 * (o.semitones ?? 0) + (o.cents ?? 0))
  return {
    ...DEFAULT_STRETCH,
    method,
    quality: o.quality ?? 'fine',
    pitch,
    formants: o.formants ?? 'move',
    formantShift: o['formant-shift'] ?? 0,
  }
}

/** Stretches a file along a map and writes it. */
async function stretchFile(
  input: string,
  output: string,
  o: Options,
  mapFor: (audio: AudioData) => TimeMap,
): Promise<void> {
  const { audio } = await open(input)
  const map = mapFor(audio)
  const watch = new Stopwatch()
  const channels = watch.measure(() => {
    const asked = askedFor(o)
    if (asked && !knowsAttacks(soundOf(o, asked))) return stretchAudio(audio, map, [], soundOf(o, asked))
    const { events, method } = detect(audio, o)
    return stretchAudio(audio, map, attackPlaces(events, protectedBy(method)), soundOf(o, method))
  })
  // Output time 0 is target 0: what lies before it is cut, and a later start is preceded by silence.
  const from = map[0]!.target
  const placed = channels.map((c) => {
    const out = new Float32Array(Math.max(0, c.length + from))
    out.set(from < 0 ? c.subarray(-from) : c, Math.max(0, from))
    return out
  })
  writeAudio(output, { sampleRate: audio.sampleRate, channels: placed }, o.bits ?? '24')
  warnOfPeak(peakOf(audio.channels), peakOf(placed), o.bits ?? '24')
  watch.report(audio)
}

/** Numbers as they are written: no digits that measure nothing. */
const digits = (x: number, places: number): number => Number(x.toFixed(places))

/** Found beats that are counted: all, or in compound meters every third, with the note that is one (`3/8`). */
function countedBeats(f: BeatFindings) {
  const { beatsPerBar, beatUnit } = f.meter
  const notes = notesPerBeat({ numerator: beatsPerBar, denominator: beatUnit })
  return {
    notes,
    note: `${notes}/${beatUnit}`,
    bpm: f.tempo.bpm / notes,
    beats: f.beats
      .filter((b) => (b.beat - 1) % notes === 0)
      .map((b) => ({ ...b, beat: (b.beat - 1) / notes + 1 })),
  }
}

function analysisReport(audio: AudioData, f: Findings) {
  const { sampleRate } = audio
  const key = f.keys[0]
  const counted = countedBeats(f)
  return {
    sampleRate,
    channels: audio.channels.length,
    duration: lengthOf(audio) / sampleRate,
    transients: defaultAttacks(f.transients, sampleRate).map((t) => ({
      time: t.at / sampleRate,
      strength: digits(t.strength, 3),
    })),
    tempo: {
      bpm: digits(counted.bpm, 4),
      note: counted.note,
      confidence: digits(f.tempo.confidence, 3),
      candidates: f.tempo.candidates.map((c) => ({
        bpm: digits(c.bpm / counted.notes, 4),
        score: digits(c.score, 3),
      })),
      steady: f.tempo.steady,
    },
    meter: { beatsPerBar: f.meter.beatsPerBar, beatUnit: f.meter.beatUnit },
    beats: counted.beats.map((b) => ({ time: digits(b.time, 5), beat: b.beat })),
    pitch: {
      hop: f.pitch.hop,
      f0: Array.from(f.pitch.f0, (v) => digits(v, 3)),
      voicing: Array.from(f.pitch.voicing, (v) => digits(v, 3)),
    },
    notes: f.notes.map((n) => ({
      start: digits(n.start, 5),
      end: digits(n.end, 5),
      midi: digits(n.midi, 3),
      confidence: digits(n.confidence, 3),
    })),
    key: key
      ? { tonic: noteName(key.tonic), mode: key.mode, confidence: digits(key.confidence, 3) }
      : { tonic: null, mode: null, confidence: 0 },
    material: { suggested: f.material.suggested, reasons: f.material.reasons },
  }
}

async function analyze(args: string[]): Promise<void> {
  const { options, files } = readOptions(args, ['json'], ['<in>'])
  const { audio } = await open(files[0]!)
  const stated = statedTempos(files[0]!.split(/[\\/]/).pop()!, await tempoInTags(readBytes(files[0]!)))
  const watch = new Stopwatch()
  const found = watch.measure(() => analyse(audio.channels, audio.sampleRate, stated))
  writeJson(options.json, analysisReport(audio, found))
  watch.report(audio)
}

async function stretch(args: string[]): Promise<void> {
  const { options, files } = readOptions(
    args,
    ['ratio', 'semitones', 'cents', 'formants', 'formant-shift', ...SOUND],
    ['<in>', '<out.wav>'],
  )
  await stretchFile(files[0]!, files[1]!, options, (audio) => {
    const length = lengthOf(audio)
    const target = Math.max(1, Math.round(length * (options.ratio ?? 1)))
    return timeMap([
      { source: 0, target: 0 },
      { source: length, target },
    ])
  })
}

async function warp(args: string[]): Promise<void> {
  const { options, files } = readOptions(args, ['map', ...SOUND], ['<in>', '<out.wav>'])
  if (!options.map) throw new InputError('Say which map to follow: --map map.json.')
  const text = new TextDecoder().decode(readBytes(options.map))
  await stretchFile(files[0]!, files[1]!, options, (audio) =>
    parseMapFile(text, audio.sampleRate, lengthOf(audio)),
  )
}

/** A session around one recording, with its downbeat on beat 0. */
function sessionAround(audio: AudioData, bpm: number, downbeat: number, method: MethodName): Session {
  const recording: Recording = {
    id: 'in',
    name: 'in',
    sampleRate: audio.sampleRate,
    channels: audio.channels.length,
    length: samples(lengthOf(audio)),
    coding: '',
  }
  const session = setTempo(newSession('cli', 'cli', audio.sampleRate), bpm)
  const place = beats((-downbeat * bpm) / 60)
  return addTrack(session, recording, newTrack('t', recording, place, { ...DEFAULT_METHOD, method }))
}

function quantizeReport(moves: readonly Move[], session: Session, rate: number, downbeat: number) {
  const second = (beat: number): number => beatToSeconds(session.tempo, beat) + downbeat
  const notes = moves.map((m) => ({
    source: m.source / rate,
    target: second(m.to),
    grid: m.line,
    moved: Math.abs(m.moved) > 1e-9,
  }))
  const open = moves.filter((m) => m.rival !== undefined)
  const warnings = open.map((m) => `The note at ${(m.source / rate).toFixed(3)} s could go either way.`)
  for (const m of moves)
    if (m.line === null)
      warnings.push(
        `The note at ${(m.source / rate).toFixed(3)} s has no grid line of its own; it moves along with its neighbours.`,
      )
  return { notes, warnings }
}

async function quantize(args: string[]): Promise<void> {
  const { options: o, files } = readOptions(
    args,
    ['bpm', 'downbeat', 'grid', 'triplet', 'strength', 'swing', 'json', ...SOUND],
    ['<in>', '<out.wav>'],
  )
  if (o.bpm === undefined) throw new InputError('Say the tempo: --bpm 92.')
  if (o.downbeat === undefined) throw new InputError('Say where beat 1 is, in seconds: --downbeat 0.5.')
  if (o.grid === undefined) throw new InputError('Say the grid: --grid 1/8.')
  const division = Number(o.grid.slice(2)) as Division
  const grid = {
    division,
    kind: o.triplet ? ('triplet' as const) : ('straight' as const),
    swing: o.swing ?? 0,
  }
  const { bpm, downbeat } = o
  const { audio } = await open(files[0]!)
  const watch = new Stopwatch()
  const done = watch.measure(() => {
    const { candidates, events, method } = detect(audio, o)
    const blank = sessionAround(audio, bpm, downbeat, method)
    const clip = blank.tracks[0]!.clips[0]!
    const moves = proposeQuantize(
      events.map((t) => ({ source: t.at, held: false })),
      { grid, strength: o.strength ?? 100, leaveAlone: 0, largestMove: Infinity },
      {
        tempo: blank.tempo,
        meter: blank.meter,
        sampleRate: audio.sampleRate,
        recordingRate: audio.sampleRate,
        map: mapOf(blank, clip, blank.recordings[0]!),
      },
    )
    const session = placeNotes(blank, clip.id, moves, [], 'quantize')
    const plan = planSession(session, () => candidates, { quality: o.quality ?? 'fine' })
    const from = plan.clips[0]!.start
    const cache = new Map<string, Float32Array[]>()
    for (const { piece } of plan.clips[0]!.placed)
      cache.set(
        piece.key,
        renderPiece(piece, () => audio),
      )
    const channels = mixRange(plan, (p) => cache.get(p.key), from, plan.clips[0]!.end)!
    return { channels, report: quantizeReport(moves, session, audio.sampleRate, downbeat) }
  })
  writeAudio(files[1]!, { sampleRate: audio.sampleRate, channels: done.channels }, o.bits ?? '24')
  if (o.json) writeJson(o.json, done.report)
  watch.report(audio)
}

/** A tempo asked for this many times what was found, or less, means other beats than those found. */
const SAME_BEATS = 1.35

/** The beats that a tempo asked for is meant for: those found, or such as go at about that tempo. */
function beatsFor(found: Findings, bpm: number): BeatFindings {
  const away = countedBeats(found).bpm / bpm
  if (away < SAME_BEATS && away > 1 / SAME_BEATS) return found
  const range = { low: bpm / SAME_BEATS, high: bpm * SAME_BEATS }
  const again = findBeats(found.rhythm, found.chroma, found.stated, { tempo: range })
  return again.beats.length > 1 ? again : found
}

async function conform(args: string[]): Promise<void> {
  const { options: o, files } = readOptions(args, ['bpm', 'by', 'json', ...SOUND], ['<in>', '<out.wav>'])
  if (o.bpm === undefined) throw new InputError('Say the tempo of the grid: --bpm 110.')
  const { bpm } = o
  const { audio } = await open(files[0]!)
  const { sampleRate } = audio
  const stated = statedTempos(files[0]!.split(/[\\/]/).pop()!, await tempoInTags(readBytes(files[0]!)))
  const watch = new Stopwatch()
  const done = watch.measure(() => {
    const found = analyse(audio.channels, sampleRate, stated)
    const beats = beatsFor(found, bpm)
    const { beatsPerBar, beatUnit } = beats.meter
    const counted = countBeats(
      { beats: beats.beats, beatsPerBar, beatUnit },
      AS_FOUND,
      { from: 0, to: lengthOf(audio) },
      sampleRate,
    )
    if (counted.beats.length < 2)
      throw new InputError('No beat was found in this recording; align it by hand or with warp.')
    const method = o.engine && o.engine !== 'auto' ? o.engine : found.material.suggested
    const attacks = defaultAttacks(found.transients, sampleRate).map((t) => t.at as number)
    // The session counts quarter notes, the recording its own beats.
    const { notes } = countedBeats(beats)
    const quarters = (4 * notes) / beatUnit
    const blank = sessionAround(audio, bpm * quarters, sourceOfBeat(counted, 0) / sampleRate, method)
    const { id } = blank.tracks[0]!.clips[0]!
    const session = moveMusicToGrid(blank, id, counted, [id], { by: o.by ?? 'beats' }, () => attacks)
    const plan = planSession(session, () => found.transients, { quality: o.quality ?? 'fine' })
    const { start, end, placed } = plan.clips[0]!
    const cache = new Map(placed.map(({ piece }) => [piece.key, renderPiece(piece, () => audio)]))
    const map = mapOf(session, session.tracks[0]!.clips[0]!, blank.recordings[0]!)
    return {
      channels: mixRange(plan, (p) => cache.get(p.key), start, end)!,
      report: {
        beats: counted.beats
          .filter((b) => b.source >= 0 && b.source <= lengthOf(audio) && b.n % notes === 0)
          .map((b) => ({
            source: digits(b.source / sampleRate, 6),
            target: digits((toTarget(map, b.source) - start) / sampleRate, 6),
          })),
      },
    }
  })
  writeAudio(files[1]!, { sampleRate, channels: done.channels }, o.bits ?? '24')
  if (o.json) writeJson(o.json, done.report)
  watch.report(audio)
}

export const COMMANDS: Record<string, (args: string[]) => Promise<void>> = {
  analyze,
  stretch,
  warp,
  quantize,
  conform,
  render,
}
