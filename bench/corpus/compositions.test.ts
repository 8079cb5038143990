// How scores and styles that others wrote are read: against small ones whose beats are known.
import midi from '@tonejs/midi'
import { describe, expect, it } from 'vitest'
import { beatsOf, keepsItsBeats, scoresIn } from './compositions'
import { readStyle } from './styles'

type Sign = { readonly ticks: number; readonly timeSignature: number[] }

/** A score of one line. @param places of its notes, quarters */
function score(places: readonly number[], signs: readonly Sign[], bpm = 120) {
  const file = new midi.Midi()
  file.header.setTempo(bpm)
  file.header.timeSignatures.push(...signs)
  const track = file.addTrack()
  for (const p of places)
    track.addNote({ midi: 60, ticks: Math.round(p * file.header.ppq), durationTicks: 60 })
  file.header.update()
  return file
}
const even = (n: number, step: number, first = 0): number[] =>
  Array.from({ length: n }, (_, i) => first + i * step)

describe('the beats of a score', () => {
  it('are eighths in 6/8, with a bar every six', () => {
    const { header } = score([0], [{ ticks: 0, timeSignature: [6, 8] }], 90)
    const { beats, downbeats } = beatsOf(header, 4)
    expect(beats[1]).toBeCloseTo(60 / 90 / 2, 9)
    expect(downbeats).toEqual(beats.filter((_, i) => i % 6 === 0))
    expect(downbeats[1]).toBeCloseTo(2, 9)
  })
  it('begin again where the meter changes, and are 4/4 where none is told', () => {
    const ppq = 480
    const { header } = score([0], [{ ticks: 8 * ppq, timeSignature: [3, 4] }])
    expect(header.ppq).toBe(ppq)
    const { downbeats, signs } = beatsOf(header, 7)
    expect(downbeats).toEqual([0, 2, 4, 5.5])
    expect(signs.map((s) => s.top)).toEqual([4, 3])
  })
  it('follow changes of tempo', () => {
    const file = score([0], [])
    file.header.tempos = [
      { ticks: 0, bpm: 60 },
      { ticks: 2 * file.header.ppq, bpm: 120 },
    ]
    file.header.update()
    expect(beatsOf(file.header, 3.2).beats).toEqual([0, 1, 2, 2.5, 3])
  })
})

it('a score keeps its beats when its notes lie on them, and not when they lie a third of a beat later', () => {
  expect(keepsItsBeats(score([...even(16, 1), ...even(5, 3, 0.5)], []))).toBe(true)
  expect(keepsItsBeats(score([...even(16, 1), ...even(16, 1, 1 / 3)], []))).toBe(false)
})

it('scores are found among the parts of a file of many things', () => {
  const parts = [
    ['D_TUNE', score([0], []).toArray()],
    ['PICTURE', Uint8Array.from([1, 2, 3, 4, 5])],
  ] as const
  const data = new Uint8Array(4096)
  const view = new DataView(data.buffer)
  let at = 12
  view.setInt32(4, parts.length, true)
  view.setInt32(8, 2048, true)
  parts.forEach(([name, bytes], i) => {
    data.set(bytes, at)
    view.setInt32(2048 + 16 * i, at, true)
    view.setInt32(2048 + 16 * i + 4, bytes.length, true)
    data.set(new TextEncoder().encode(name), 2048 + 16 * i + 8)
    at += bytes.length
  })
  const found = scoresIn(data)
  expect(found.map((s) => s.name)).toEqual(['D_TUNE'])
  expect(found[0]!.bytes).toEqual(parts[0][1])
})

describe('a style', () => {
  const lines = (...all: string[]): string => all.join('\n')
  it('has the meter that its text tells, and grooves that go on', () => {
    const text = lines('Time 3', 'TimeSig 3 4', 'DefGroove Slow', 'DefGroove SlowEnd', 'DefGroove Slow1')
    expect(readStyle('W', text)).toEqual({ name: 'W', grooves: ['Slow', 'Slow1'], meter: '3/4', quarters: 3 })
  })
  it('in 6/8 may be written in quarters or eighths', () => {
    const of = (time: number) => readStyle('J', lines(`Time ${time}`, 'TimeSig 6 8', 'DefGroove Jig'))
    expect([of(3)!.quarters, of(6)!.quarters]).toEqual([3, 6])
    expect([of(3)!.meter, of(6)!.meter]).toEqual(['6/8', '6/8'])
  })
  it.each([
    ['of two meters', lines('Time 4', 'Time 3', 'DefGroove A')],
    ['of five beats', lines('Time 5', 'TimeSig 5 4', 'DefGroove A')],
    ['whose bars say one thing and whose beats another', lines('Time 4', 'TimeSig 3 4', 'DefGroove A')],
    ['that only ends', lines('Time 4', 'DefGroove AEnd')],
  ])('%s is none', (_, text) => expect(readStyle('X', text)).toBeUndefined())
})
