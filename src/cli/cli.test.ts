// The command line with real files: run here, which spares beginning a process each time, and at the end through npm.
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { onsetScore } from '../../tests/support/measure'
import { jig, JIG_RATE } from '../../demo/jig'
import { loops } from '../../demo/loops'
import { flacOf } from '../../tests/support/flac'
import { struck, type Played } from '../../tests/support/signals'
import { readWav } from '../core/audio/wav-read'
import { writeWav } from '../core/audio/wav-write'
import { writeSessionFile } from '../core/formats/session-file'
import { hashAudio } from '../core/hash'
import { peakOf } from '../core/render/levels'
import { newSession, newTrack } from '../core/session/create'
import { addTrack, setTrackGain } from '../core/session/edits'
import type { Session } from '../core/session/types'
import { beats, samples } from '../core/units'
import { runCommand } from './run'

const RATE = 44100
let folder: string
let played: Played
const file = (name: string): string => join(folder, name)
/** What a command says on both streams, and how it ends. */
async function unwarp(...args: string[]) {
  const said = { stdout: '', stderr: '' }
  const heard = (['stdout', 'stderr'] as const).map((stream) =>
    vi.spyOn(process[stream], 'write').mockImplementation((text) => {
      said[stream] += String(text)
      return true
    }),
  )
  try {
    const status = await runCommand(args)
    return { status, ...said }
  } finally {
    for (const stream of heard) stream.mockRestore()
  }
}
const throughNpm = (...args: string[]) =>
  spawnSync('npm', ['run', '-s', 'unwarp', '--', ...args], { encoding: 'utf8' })
const wav = (name: string) => readWav(readFileSync(file(name)))
const json = (name: string) => JSON.parse(readFileSync(file(name), 'utf8'))

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'unwarp-'))
  played = struck(3, 3, RATE, 2, 3)
  writeFileSync(file('in.wav'), writeWav({ sampleRate: RATE, channels: played.channels }, '24'))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('analyze', () => {
  it('counts the jig in dotted quarters, two to a bar of 6/8', async () => {
    const { beats: played, tracks } = jig()
    writeFileSync(file('jig.wav'), writeWav({ sampleRate: JIG_RATE, channels: tracks[0]!.channels }, '24'))
    const { stdout } = await unwarp('analyze', file('jig.wav'))
    const said = JSON.parse(stdout)
    expect(said.meter).toEqual({ beatsPerBar: 6, beatUnit: 8 })
    expect(said.tempo.note).toBe('3/8')
    // Its eighths are written beside it: three of them are a beat.
    const wanted = (20 * (played.length - 1)) / (played.at(-1)!.time - played[0]!.time)
    expect(Math.abs(said.tempo.bpm / wanted - 1)).toBeLessThan(0.01)
    expect(said.tempo.candidates[0].bpm).toBe(said.tempo.bpm)
    const beats: { time: number; beat: number }[] = said.beats
    expect(new Set(beats.map((b) => b.beat))).toEqual(new Set([1, 2]))
    const dotted = played.filter((b) => b.beat === 1 || b.beat === 4).map((b) => b.time)
    const errors = dotted.map((t) => Math.min(...beats.map((b) => Math.abs(b.time - t))))
    expect(errors.sort((a, b) => a - b)[errors.length >> 1]).toBeLessThan(0.012)
  })

  it('prints its findings, the same on stdout and in a file', async () => {
    const run = await unwarp('analyze', file('in.wav'))
    expect(run.status).toBe(0)
    const found = JSON.parse(run.stdout)
    expect(found).toMatchObject({ sampleRate: RATE, channels: 2, duration: 3 })
    const times = found.transients.map((t: { time: number }) => t.time)
    expect(
      onsetScore(
        played.attacks.map((a) => a / RATE),
        times,
        0.05,
      ).f,
    ).toBeGreaterThan(0.94)
    expect(run.stderr).toMatch(/^processed 3\.000 s of audio in \d+\.\d{3} s\n$/)
    await unwarp('analyze', file('in.wav'), '--json', file('a.json'))
    expect(json('a.json')).toEqual(found)
  })

  it.each([8, 16, 24])('reads FLAC of %i bits as WAV', async (bits) => {
    const full = 2 ** (bits - 1)
    // Both ends of the range, and what lies around zero.
    const edges = [-full, full - 1, -1, 0, 1, 0, 0, -1, -1]
    const pcm = Int32Array.from([...played.channels[0]!.map((x) => Math.round((full - 1) * x)), ...edges])
    for (const channels of [1, 3]) {
      const samples = Int32Array.from({ length: channels * pcm.length }, (_, i) =>
        i % channels ? pcm[pcm.length - 1 - Math.floor(i / channels)]! : pcm[i / channels]!,
      )
      writeFileSync(file('in.flac'), await flacOf(samples, RATE, channels, bits))
      const run = await unwarp(
        'stretch',
        file('in.flac'),
        file('flac.wav'),
        '--bits',
        '32f',
        '--engine',
        'tape',
      )
      expect(run.status, run.stderr).toBe(0)
      const back = wav('flac.wav').audio.channels
      expect(back.length).toBe(channels)
      back.forEach((x, c) => {
        expect(x.length).toBe(pcm.length)
        expect(x.every((v, i) => v === samples[i * channels + c]! / full)).toBe(true)
      })
    }
  })

  it('says of FLAC what it cannot read', async () => {
    writeFileSync(file('deep.flac'), await flacOf(new Int32Array(5000).fill(1000), RATE, 1, 20))
    const deep = await unwarp('analyze', file('deep.flac'))
    expect(deep.status).toBe(2)
    expect(deep.stderr).toMatch(/^“.*deep\.flac”: The FLAC file has 20-bit samples.* 16- or 24-bit\.\n$/)
    writeFileSync(file('cut.flac'), readFileSync(file('in.flac')).subarray(0, 3000))
    const cut = await unwarp('analyze', file('cut.flac'))
    expect(cut.status).toBe(2)
    expect(cut.stderr).toMatch(/damaged or holds no samples/)
  })
})

describe('stretch and warp', () => {
  it('at ratio 1 gives the file back bit for bit', async () => {
    expect((await unwarp('stretch', file('in.wav'), file('same.wav'))).status).toBe(0)
    expect(readFileSync(file('same.wav')).equals(readFileSync(file('in.wav')))).toBe(true)
  })

  it.each([
    ['hits', '1.37'],
    ['line', '1.2'],
    ['chords', '0.8'],
    ['mix', '1.1'],
    ['grains', '1.4'],
    ['tape', '0.9'],
    ['cuts', '1.05'],
    ['auto', '1.5'],
  ])('%s at %s has the exact length, rate and channels', async (engine, ratio) => {
    const run = await unwarp(
      'stretch',
      file('in.wav'),
      file('out.wav'),
      '--ratio',
      ratio,
      '--engine',
      engine,
      '--bits',
      '16',
    )
    expect(run.stderr).toMatch(/^processed/m)
    const { audio, format } = wav('out.wav')
    expect(audio.channels.map((c) => c.length)).toEqual(Array(2).fill(Math.round(3 * RATE * Number(ratio))))
    expect([audio.sampleRate, format.bits]).toEqual([RATE, 16])
  })

  it('transposes by semitones and cents at the same length', async () => {
    await unwarp(
      'stretch',
      file('in.wav'),
      file('up.wav'),
      '--semitones',
      '-3',
      '--cents',
      '20',
      '--engine',
      'chords',
    )
    expect(wav('up.wav').audio.channels[0]!.length).toBe(3 * RATE)
  })

  it('warp follows a map: every pin where it says', async () => {
    const [a, b, c] = [played.attacks[1]!, played.attacks[3]!, played.attacks[5]!]
    const pins = [
      { source: a / RATE, target: a / RATE },
      { source: b / RATE, target: b / RATE + 0.06 },
      { source: c / RATE, target: c / RATE },
    ]
    writeFileSync(file('map.json'), JSON.stringify({ pins }))
    const args = ['--map', file('map.json'), '--engine', 'hits']
    expect((await unwarp('warp', file('in.wav'), file('warped.wav'), ...args)).status).toBe(0)
    const [before, after] = [wav('in.wav').audio.channels[0]!, wav('warped.wav').audio.channels[0]!]
    expect(after.length).toBe(before.length)
    const moved = b + Math.round(0.06 * RATE)
    expect([...after.subarray(moved, moved + 500)]).toEqual([...before.subarray(b, b + 500)])
    expect([...after.subarray(0, a)]).toEqual([...before.subarray(0, a)])
    expect([...after.subarray(c)]).toEqual([...before.subarray(c)])
  })
})

describe('conform', () => {
  const loop = loops()[1]!
  it.each(['beats', 'bars'])('puts the %s of a loop on the grid, and says where each went', async (by) => {
    writeFileSync(file('loop.wav'), writeWav({ sampleRate: RATE, channels: [loop.samples] }, '24'))
    const run = await unwarp(
      'conform',
      file('loop.wav'),
      file('on.wav'),
      '--bpm',
      '118',
      '--by',
      by,
      '--json',
      file('on.json'),
    )
    expect(run.stderr).toMatch(/^processed /)
    expect(run.status).toBe(0)
    const { beats } = json('on.json') as { beats: { source: number; target: number }[] }
    expect(beats.length).toBeGreaterThanOrEqual(loop.beats)
    beats.forEach((b, i) => {
      if (i === 0) return
      expect(b.source - beats[i - 1]!.source).toBeCloseTo(60 / loop.bpm, 3)
      expect(b.target - beats[i - 1]!.target).toBeCloseTo(60 / 118, 3)
    })
    const { length } = wav('on.wav').audio.channels[0]!
    expect(length / loop.samples.length).toBeCloseTo(loop.bpm / 118, 3)
  })
})

describe('quantize', () => {
  it('moves attacks to the grid and reports every note', async () => {
    const args = [
      '--engine',
      'line',
      '--bpm',
      '120',
      '--downbeat',
      '0.05',
      '--grid',
      '1/16',
      '--json',
      file('q.json'),
    ]
    expect((await unwarp('quantize', file('in.wav'), file('q.wav'), ...args)).status).toBe(0)
    const report = json('q.json')
    expect(report.notes.length).toBeGreaterThan(5)
    expect(Array.isArray(report.warnings)).toBe(true)
    for (const n of report.notes) if (n.grid !== null) expect(n.target).toBeCloseTo(0.05 + n.grid / 2, 6)
    const [before, after] = [wav('in.wav').audio.channels[0]!, wav('q.wav').audio.channels[0]!]
    expect(after.length).toBe(before.length)
    const inside = report.notes.slice(1, -1)
    for (const n of inside) {
      const [s, t] = [Math.round(n.source * RATE), Math.round(n.target * RATE)]
      expect([...after.subarray(t, t + 100)]).toEqual([...before.subarray(s, s + 100)])
    }
  })

  it('takes the method that the analysis suggests, unless one is asked for', async () => {
    const args = ['--bpm', '120', '--downbeat', '0.05', '--grid', '1/16']
    const { stdout } = await unwarp('analyze', file('in.wav'))
    const suggested = JSON.parse(stdout).material.suggested as string
    expect((await unwarp('quantize', file('in.wav'), file('auto.wav'), ...args)).status).toBe(0)
    const same: string[] = []
    for (const engine of ['line', 'chords', 'mix', 'hits']) {
      await unwarp('quantize', file('in.wav'), file(`${engine}.wav`), ...args, '--engine', engine)
      if (readFileSync(file(`${engine}.wav`)).equals(readFileSync(file('auto.wav')))) same.push(engine)
    }
    expect(same).toEqual([suggested])
  })
})

describe('render', () => {
  it('writes the mix and a stem a track, each under a name of its own, that add up to the mix', async () => {
    const { channels } = played
    const id = hashAudio(channels, RATE)
    const recording = {
      id,
      name: 'in.wav',
      sampleRate: RATE,
      channels: 2,
      length: samples(3 * RATE),
      coding: '',
    }
    let session: Session = newSession('s', 'Lock', RATE)
    for (const [i, name] of ['Voice', 'Voice', 'Voice 2'].entries()) {
      session = addTrack(session, recording, { ...newTrack(`t${i}`, recording, beats(0.5 * i)), name })
      session = setTrackGain(session, `t${i}`, -12)
    }
    const parts: Uint8Array[] = []
    const audio = { sampleRate: RATE, channels }
    writeSessionFile({ session, recordings: new Map([[id, audio]]), findings: new Map() }, (b) =>
      parts.push(b.slice()),
    )
    writeFileSync(file('lock.unwarp'), Buffer.concat(parts))
    const run = await unwarp('render', file('lock.unwarp'), file('stems'), '--bits', '32f')
    expect(run.stderr).toMatch(/^processed \d+\.\d+ s of audio in \d+\.\d+ s\n$/)
    const stems = ['Lock Voice', 'Lock Voice 2', 'Lock Voice 2 2'].map((n) => wav(`stems/${n}.wav`).audio)
    const mix = wav('stems/Lock.wav').audio
    expect(mix.channels).toHaveLength(2)
    const sum = Float32Array.from(mix.channels[0]!, (_, i) =>
      Math.fround(
        Math.fround(stems[0]!.channels[0]![i]! + stems[1]!.channels[0]![i]!) + stems[2]!.channels[0]![i]!,
      ),
    )
    let worst = 0
    sum.forEach((v, i) => (worst = Math.max(worst, Math.abs(v - mix.channels[0]![i]!))))
    expect(worst).toBeLessThan(1e-6)
    expect(peakOf(stems[2]!.channels)).toBeGreaterThan(0.01)
  })
})

describe('bad input', () => {
  const bad: [string, string[], RegExp][] = [
    ['no command', [], /Name a command/],
    ['an unknown command', ['polish'], /no command “polish”/],
    ['a missing file', ['stretch', 'nowhere.wav', 'OUT'], /no file “nowhere.wav”/],
    ['a file that is no audio', ['stretch', 'package.json', 'OUT'], /“package.json”: This is not a WAV file/],
    ['a ratio that is no number', ['stretch', 'IN', 'OUT', '--ratio', 'fast'], /--ratio must be a number/],
    ['an option nobody knows', ['stretch', 'IN', 'OUT', '--speed', '2'], /--speed/],
    [
      'a method nobody knows',
      ['stretch', 'IN', 'OUT', '--ratio', '2', '--engine', 'glue'],
      /--engine must be one of hits, line/,
    ],
    ['a session file that is none', ['render', 'IN', 'OUT'], /is no session file; save one/],
    ['too few files', ['stretch', 'IN'], /takes 2 files/],
    ['no tempo', ['quantize', 'IN', 'OUT', '--downbeat', '0', '--grid', '1/8'], /--bpm/],
    ['a map that falls', ['warp', 'IN', 'OUT', '--map', 'MAP'], /pin 2 does not come after pin 1/],
  ]
  it.each(bad)('%s: one line, exit code 2, no output', async (_name, args, pattern) => {
    writeFileSync(file('bad.json'), '{"pins":[{"source":1,"target":1},{"source":2,"target":0.5}]}')
    const real = args.map(
      (a) => ({ IN: file('in.wav'), OUT: file('never.wav'), MAP: file('bad.json') })[a] ?? a,
    )
    const run = await unwarp(...real)
    expect(run.status).toBe(2)
    expect(run.stderr.trim().split('\n')).toHaveLength(1)
    expect(run.stderr).toMatch(pattern)
    expect(existsSync(file('never.wav'))).toBe(false)
  })

  it('has its exit code and its one line through npm too', () => {
    const run = throughNpm('analyze', 'nowhere.wav')
    expect([run.status, run.stdout]).toEqual([2, ''])
    expect(run.stderr.trim()).toMatch(/There is no file “nowhere.wav”; check its name\.$/)
  })
})

it('runs through npm as the README says', () => {
  const run = throughNpm('analyze', file('in.wav'))
  expect(run.status).toBe(0)
  expect(JSON.parse(run.stdout).duration).toBe(3)
  expect(run.stderr).toMatch(/^processed 3\.000 s of audio in \d+\.\d{3} s$/m)
})
