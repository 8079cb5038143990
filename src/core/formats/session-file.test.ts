// Session files: equal documents, equal samples and findings back; damage gets a sentence.
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate'
import { beforeAll, describe, expect, it } from 'vitest'
import wavefile from 'wavefile'
import { noise, struck } from '../../../tests/support/signals'
import { analyse, type Findings } from '../analysis/analyse'
import type { AudioData } from '../audio/buffer'
import { loadFft } from '../dsp/fft'
import { hashAudio } from '../hash'
import { mixRange, piecesIn } from '../render/mix'
import { renderPiece } from '../render/piece'
import { planSession } from '../render/plan'
import { newSession, newTrack } from '../session/create'
import { addTrack, setTempo } from '../session/edits'
import { moveNote } from '../session/pin-edits'
import type { Recording, Session } from '../session/types'
import { beats, samples } from '../units'
import {
  exactDepth,
  fileName,
  isZip,
  readSessionFile,
  writeSessionFile,
  type SessionContents,
} from './session-file'

const RATE = 22050
let contents: SessionContents
let bytes: Uint8Array

function written(c: SessionContents): Uint8Array {
  const parts: Uint8Array[] = []
  writeSessionFile(c, (b) => void parts.push(b.slice()))
  return Uint8Array.from(Buffer.concat(parts))
}

const recordingOf = (name: string, audio: AudioData): Recording => ({
  id: hashAudio(audio.channels, audio.sampleRate),
  name,
  sampleRate: audio.sampleRate,
  channels: audio.channels.length,
  length: samples(audio.channels[0]!.length),
  coding: '',
  stated: [{ bpm: 92, from: 'name' }],
})

/** The corrected mix of a session. */
function heard({ session, recordings, findings }: SessionContents): Float32Array[] {
  const plan = planSession(session, (id) => findings.get(id)!.transients, { quality: 'fine' })
  const made = new Map(
    piecesIn(plan, plan.start, plan.end).map((p) => [p.key, renderPiece(p, (id) => recordings.get(id)!)]),
  )
  return mixRange(plan, (p) => made.get(p.key), plan.start, plan.end)!
}

beforeAll(async () => {
  await loadFft()
  const lattice = (x: Float32Array): Float32Array => x.map((v) => Math.round(v * 4194304) / 8388608 + 0)
  const takes: [string, AudioData][] = [
    ['Take 92 bpm.wav', { sampleRate: RATE, channels: struck(3, 3, RATE, 2).channels.map(lattice) }],
    ['a/b: ?.flac', { sampleRate: RATE, channels: [noise(1, RATE).map((v) => v * 1.7)] }],
  ]
  let session: Session = setTempo(newSession('s1', 'Slack Water', RATE), 92.37)
  const recordings = new Map<string, AudioData>()
  const findings = new Map<string, Findings>()
  for (const [name, audio] of takes) {
    const r = recordingOf(name, audio)
    session = addTrack(session, r, newTrack(`t ${r.id}`, r, beats(0.125)))
    recordings.set(r.id, audio)
    const found = analyse(audio.channels, audio.sampleRate, r.stated)
    // Struck tones have no slurs; a file must keep them all the same.
    const transients = found.transients.map((t, i) => (i === 4 ? { ...t, slurred: 'struck' as const } : t))
    findings.set(r.id, { ...found, transients })
  }
  const first = findings.get(session.recordings[0]!.id)!.transients
  const { id } = session.tracks[0]!.clips[0]!
  session = moveNote(session, id, first[2]!.at, beats(1.9), [first[1]!.at, first[3]!.at])
  contents = { session, recordings, findings }
  bytes = written(contents)
})

describe('a session file', () => {
  it('opens to an equal document, equal samples and equal findings', () => {
    expect(isZip(bytes)).toBe(true)
    const back = readSessionFile(bytes)
    expect(back.session).toEqual(contents.session)
    expect([...back.recordings]).toEqual([...contents.recordings])
    expect([...back.findings]).toEqual([...contents.findings])
    expect([...back.findings.values()].some((f) => f.transients.some((t) => t.slurred))).toBe(true)
  })

  it('sounds the same, bit for bit', () => {
    expect(contents.session.tracks[0]!.clips[0]!.pins.length).toBeGreaterThan(0)
    const [before, after] = [heard(contents), heard(readSessionFile(bytes))]
    expect(after).toEqual(before)
  })

  it('is the same bytes for the same contents, with recordings that other programs read', () => {
    expect(Buffer.compare(written(readSessionFile(bytes)), bytes)).toBe(0)
    const files = unzipSync(bytes)
    expect(Object.keys(files)).toEqual([
      'session.json',
      'recordings/01 Take 92 bpm.wav',
      'findings/01.json',
      'findings/01.bin',
      'recordings/02 a-b- -.wav',
      'findings/02.json',
      'findings/02.bin',
    ])
    const wav = new wavefile.WaveFile(files['recordings/01 Take 92 bpm.wav']!)
    expect([wav.bitDepth, (wav.fmt as { sampleRate: number }).sampleRate]).toEqual(['24', RATE])
    const left = (wav.getSamples(false) as unknown as Float64Array[])[0]!
    const original = contents.recordings.get(contents.session.recordings[0]!.id)!.channels[0]!
    expect(Float32Array.from(left, (v) => v / 8388608)).toEqual(original)
  })

  it('leaves out findings that another version made or that are damaged', () => {
    const files = unzipSync(bytes)
    const changed = (name: string, by: (text: string) => string) =>
      readSessionFile(zipSync({ ...files, [name]: strToU8(by(strFromU8(files[name]!))) }))
    const ids = contents.session.recordings.map((r) => r.id)
    const kept = (c: SessionContents) => ids.map((id) => c.findings.has(id))
    expect(kept(changed('findings/01.json', (t) => t.replace(/"version":\d+/, '"version":1')))).toEqual([
      false,
      true,
    ])
    expect(
      kept(changed('findings/02.json', (t) => t.replace(/"strength":[\d.]+/, '"strength":"loud"'))),
    ).toEqual([true, false])
    expect(
      kept(changed('findings/02.json', (t) => t.replace(/"floats":\[\d+/, '"floats":[999999999'))),
    ).toEqual([true, false])
  })

  it('refuses damage with one sentence', () => {
    const files = unzipSync(bytes)
    const without = (name: string) =>
      zipSync(Object.fromEntries(Object.entries(files).filter(([n]) => n !== name)))
    const quiet = files['recordings/02 a-b- -.wav']!.slice()
    quiet[4000]! ^= 1
    expect(() => readSessionFile(bytes.subarray(0, bytes.length / 2))).toThrow(
      /^This session file cannot .+ cut short; .+\.$/,
    )
    expect(() => readSessionFile(without('session.json'))).toThrow(/no session file; unpack it/)
    expect(() => readSessionFile(without('recordings/01 Take 92 bpm.wav'))).toThrow(
      /“Take 92 bpm\.wav” is missing/,
    )
    expect(() => readSessionFile(zipSync({ ...files, 'recordings/02 a-b- -.wav': quiet }))).toThrow(
      /is damaged\.$/,
    )
    const newer = strToU8(strFromU8(files['session.json']!).replace('"version": 1', '"version": 2'))
    expect(() => readSessionFile(zipSync({ ...files, 'session.json': newer }))).toThrow(/newer version/)
    expect(() => writeSessionFile({ ...contents, recordings: new Map() }, () => {})).toThrow(/not loaded yet/)
  })
})

describe('what recordings are written as', () => {
  it('is the smallest format that holds every sample', () => {
    expect(exactDepth([Float32Array.of(0, -1, 0.5)])).toBe('16')
    expect(exactDepth([Float32Array.of(0, 1 / 8388608)])).toBe('24')
    for (const odd of [1, 1.5, -0, 1e-9]) expect(exactDepth([Float32Array.of(odd)])).toBe('32f')
  })

  it('has names that every file system takes', () => {
    expect(fileName('Band: “take” 1/2.')).toBe('Band- “take” 1-2')
    expect(fileName('..')).toBe('untitled')
  })
})
