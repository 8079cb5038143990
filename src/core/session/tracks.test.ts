// The order of tracks, copies of them, and how compound meters are counted.
import { describe, expect, it } from 'vitest'
import { constantMeter } from '../music/meter-map'
import { beats, samples } from '../units'
import { newSession, newTrack } from './create'
import { addTrack, countAsWritten, duplicateTrack, moveTrack, setLinkGroup } from './edits'
import { parseSession } from './schema'

const recording = {
  id: 'r',
  name: 'Take',
  sampleRate: 48000,
  channels: 1,
  length: samples(48000),
  coding: '24-bit',
}
const session = ['a', 'b', 'c'].reduce(
  (s, id) => addTrack(s, recording, newTrack(id, { ...recording, name: id }, beats(0))),
  newSession('s', 'S', 48000),
)
const order = (s: typeof session) => s.tracks.map((t) => t.id).join('')

describe('tracks', () => {
  it('are put in another order', () => {
    expect(order(moveTrack(session, 'a', 2))).toBe('bca')
    expect(order(moveTrack(session, 'c', 0))).toBe('cab')
    expect(moveTrack(session, 'b', 1)).toBe(session)
    expect(moveTrack(session, 'nobody', 1)).toBe(session)
    expect(order(moveTrack(session, 'a', 99))).toBe('bca')
  })

  it('are copied below themselves, with clips of their own and linked with nothing', () => {
    const copied = duplicateTrack(setLinkGroup(session, 'a', 'A'), 'a', 'd')
    expect(order(copied)).toBe('adbc')
    const [a, d] = copied.tracks
    expect(d).toMatchObject({ name: 'a (copy)', linkGroup: null })
    expect(d!.clips[0]).toEqual({ ...a!.clips[0], id: 'd-0' })
    expect(new Set(copied.tracks.flatMap((t) => t.clips.map((c) => c.id))).size).toBe(4)
    expect(() => parseSession(copied)).not.toThrow()
  })

  it('a session says how its compound meters are counted, and is read back so', () => {
    const jig = countAsWritten({ ...session, meter: constantMeter(6, 8) }, true)
    expect(parseSession(JSON.parse(JSON.stringify(jig)))).toEqual(jig)
  })
})
