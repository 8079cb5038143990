// The library over an in-memory IndexedDB.
import 'fake-indexeddb/auto'
import { beforeEach, describe, expect, it } from 'vitest'
import { noise } from '../../../tests/support/signals'
import { analyse } from '../../core/analysis/analyse'
import { readWav } from '../../core/audio/wav-read'
import { writeWav } from '../../core/audio/wav-write'
import { newSession, newTrack } from '../../core/session/create'
import { addTrack, removeTrack, setTempo } from '../../core/session/edits'
import { newHistory, perform, undo } from '../../core/session/history'
import type { Recording } from '../../core/session/types'
import { samples } from '../../core/units'
import { openDatabase } from './database'
import { Library, type Decode } from './library'

let library: Library
let clock = 1e12
let count = 0
const recording: Recording = {
  id: 'r1',
  name: 'take.wav',
  sampleRate: 44100,
  channels: 1,
  length: samples(4),
  coding: '24-bit',
}
const audio = { sampleRate: 44100, channels: [Float32Array.from([0, 0.5, -0.5, 1])] }
const decode: Decode = async (file) => readWav(new Uint8Array(await file.arrayBuffer())).audio
const session = () => addTrack(newSession('s1', 'One', 44100), recording, newTrack('t1', recording))

beforeEach(async () => {
  library = new Library(await openDatabase(`test-${count++}`), () => clock++)
})

describe('the library', () => {
  it('gives back what it was given: document, history, samples, findings', async () => {
    const h = undo(
      perform(
        perform(newHistory(session()), 'Tempo', (s) => setTempo(s, 92)),
        'Tempo',
        (s) => setTempo(s, 93),
      ),
    )
    await library.save(h, [[0, 1]])
    await library.keepRecording('r1', audio)
    const loaded = await library.load('s1')
    expect(loaded).toMatchObject({ session: h.session, steps: h.steps, cursor: 1, picture: [[0, 1]] })
    expect(await library.recording('r1', decode)).toEqual(audio)
    const findings = analyse([noise(0.5, 8000)], 8000)
    await library.keepFindings('r1', findings)
    expect(await library.findings('r1', [])).toEqual(findings)
    expect(await library.findings('r1', [{ bpm: 92, from: 'name' }])).toBeUndefined()
  })

  it('keeps the file that a recording came in, and its samples where the file cannot be had', async () => {
    const noPack = (): never => {
      throw new Error('nothing to pack')
    }
    const file = new Blob([writeWav(audio, '32f') as Uint8Array<ArrayBuffer>])
    await library.keepRecording('r1', audio, noPack, file)
    expect(await library.recording('r1', decode)).toEqual(audio)
    // As when a file has been changed since: the browser refuses it.
    const gone = { toString: () => 'gone' } as unknown as Blob
    await library.keepRecording('r2', audio, undefined, gone)
    expect(await library.recording('r2', decode)).toEqual(audio)
  })

  it('deletes with a way back, duplicates, renames', async () => {
    await library.save(newHistory(session()), [])
    await library.duplicate('s1', 's2')
    await library.rename('s2', ' Two ')
    expect((await library.sessions()).map((s) => s.session.name)).toEqual(['Two', 'One'])
    await library.remove('s1')
    expect((await library.sessions()).map((s) => s.id)).toEqual(['s2'])
    await expect(library.load('s1')).rejects.toThrow(/not on the shelf/)
    await library.restore('s1')
    expect((await library.load('s1')).session).toEqual(session())
    await expect(library.rename('s1', ' ')).rejects.toThrow(/needs a name/)
  })

  it('tidies away only what nothing can bring back', async () => {
    await library.keepRecording('r1', audio)
    await library.keepRecording('lost', audio)
    await library.save(
      perform(newHistory(session()), 'Remove track', (s) => removeTrack(s, 't1')),
      [],
    )
    await library.tidy()
    expect(await library.recording('lost', decode)).toEqual(audio)
    clock += 2 * 3600e3
    await library.tidy()
    expect(await library.recording('r1', decode)).toEqual(audio)
    await expect(library.recording('lost', decode)).rejects.toThrow(/missing from this browser/)
    await library.remove('s1')
    await library.tidy()
    expect(await library.recording('r1', decode)).toEqual(audio)
    clock += 8 * 24 * 3600e3
    await library.tidy()
    await expect(library.recording('r1', decode)).rejects.toThrow(/missing/)
    clock = 1e12
  })

  it('refuses a damaged session with a sentence', async () => {
    await library.save(newHistory({ ...session(), tempo: [] }), [])
    await expect(library.load('s1')).rejects.toThrow(/^This session cannot be opened: .+\.$/)
  })
})
