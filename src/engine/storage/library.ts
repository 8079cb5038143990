// Sessions and recordings on the shelf: load, save, duplicate, delete with undo, and clearing what nobody uses.
import { parseSession } from '../../core/session/schema'
import { ANALYSIS_VERSION } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { InputError } from '../../core/errors'
import type { History } from '../../core/session/history'
import type { Findings } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import type { Database, StoredSession } from './database'
import { packed, unpacked } from './pack'

/** Steps of history that are kept with a session. */
const KEPT_STEPS = 300
/** Deleted sessions stay this long, milliseconds. */
const KEPT_DELETED = 7 * 24 * 3600e3
/** Recordings younger than this may belong to a session that is only just being made, perhaps in another tab. */
const FRESH = 3600e3

/** The part of a history that is stored: at most the last 300 steps. */
function trimmed(h: History): Pick<StoredSession, 'session' | 'steps' | 'cursor'> {
  const drop = Math.max(0, h.steps.length - KEPT_STEPS)
  return { session: h.session, steps: h.steps.slice(drop), cursor: Math.max(0, h.cursor - drop) }
}

/** Channels as blobs; `packed` in a worker spares the page the copying. */
export type Pack = (channels: readonly Float32Array[]) => Promise<readonly Blob[]>
const packHere: Pack = async (channels) => packed(channels)

/** Decodes a WAV or AIFF file. */
export type Decode = (file: Blob) => Promise<AudioData>

export type Picture = StoredSession['picture']

/** Everything the application keeps, over one open database. */
export class Library {
  constructor(
    private readonly db: Database,
    private readonly now: () => number = Date.now,
  ) {}

  /** Sessions that are not deleted, last edited first. */
  async sessions(): Promise<StoredSession[]> {
    const all = await this.db.getAll('sessions')
    return all.filter((s) => s.deleted === null).sort((a, b) => b.updated - a.updated)
  }

  /** Whether a session of this id is kept, even one that was deleted and may come back. */
  async knows(id: string): Promise<boolean> {
    return (await this.db.getKey('sessions', id)) !== undefined
  }

  /** @throws InputError when there is no such session or it is damaged */
  async load(id: string): Promise<StoredSession> {
    const stored = await this.db.get('sessions', id)
    if (!stored || stored.deleted !== null)
      throw new InputError(
        'This session is not on the shelf of this browser; choose another or open its file.',
      )
    return { ...stored, session: parseSession(stored.session) }
  }

  /**
   * Saves a session with its history. The write is under way when this returns, so that closing the tab right
   * after an edit loses nothing; the promise resolves when it is on disk.
   */
  async save(h: History, picture: Picture): Promise<void> {
    const tx = this.db.transaction('sessions', 'readwrite', { durability: 'strict' })
    const put = tx.store.put({ id: h.session.id, ...trimmed(h), updated: this.now(), deleted: null, picture })
    tx.commit()
    await Promise.all([put, tx.done])
  }

  async duplicate(id: string, newId: string): Promise<void> {
    const stored = await this.load(id)
    const session = { ...stored.session, id: newId, name: `${stored.session.name} (copy)` }
    await this.db.put('sessions', {
      ...stored,
      id: newId,
      session,
      steps: [],
      cursor: 0,
      updated: this.now(),
    })
  }

  async rename(id: string, name: string): Promise<void> {
    if (!name.trim()) throw new InputError('A session needs a name; type one.')
    const stored = await this.load(id)
    // The name is no part of any step, so the history stays true.
    await this.db.put('sessions', { ...stored, session: { ...stored.session, name: name.trim() } })
  }

  /** Takes a session off the shelf; `restore` puts it back. */
  async remove(id: string): Promise<void> {
    const stored = await this.db.get('sessions', id)
    if (stored) await this.db.put('sessions', { ...stored, deleted: this.now() })
  }

  async restore(id: string): Promise<void> {
    const stored = await this.db.get('sessions', id)
    if (stored) await this.db.put('sessions', { ...stored, deleted: null })
  }

  /** Forgets sessions deleted long ago, and recordings that no session uses. */
  async tidy(): Promise<void> {
    const limit = this.now() - KEPT_DELETED
    const all = await this.db.getAll('sessions')
    const used = new Set<string>()
    for (const s of all)
      if (s.deleted !== null && s.deleted < limit) await this.db.delete('sessions', s.id)
      else {
        for (const r of s.session.recordings) used.add(r.id)
        // Undo may bring a recording back that the document no longer names.
        for (const m of JSON.stringify(s.steps).matchAll(/"recording":"([^"]+)"/g)) used.add(m[1]!)
      }
    const old = IDBKeyRange.upperBound(this.now() - FRESH)
    for (const id of await this.db.getAllKeysFromIndex('recordings', 'kept', old))
      if (!used.has(id)) {
        await this.db.delete('recordings', id)
        await this.db.delete('findings', IDBKeyRange.bound(`${id} `, `${id} \uffff`))
      }
  }

  /**
   * Keeps a recording; the same id is the same samples, so one that is there stays.
   *
   * @param file a copy of what it was decoded from, kept instead of its samples; none of a file on disk, of which
   *   browsers may keep no more than where it lies
   */
  async keepRecording(
    id: string,
    audio: AudioData,
    pack: Pack = packHere,
    file: Blob | null = null,
  ): Promise<void> {
    if ((await this.db.getKey('recordings', id)) !== undefined) return
    const entry = { id, sampleRate: audio.sampleRate, kept: this.now() }
    if (file)
      try {
        await this.db.put('recordings', { ...entry, file })
        return
      } catch {
        // Where it cannot be kept as it is, its samples are still here.
      }
    await this.db.put('recordings', { ...entry, channels: await pack(audio.channels) })
  }

  /** @param decode decodes a file that was kept; @throws InputError when it is gone */
  async recording(id: string, decode: Decode): Promise<AudioData> {
    const found = await this.db.get('recordings', id)
    if (!found)
      throw new InputError(
        'A recording of this session is missing from this browser; bring its file in again.',
      )
    if (found.file) return decode(found.file)
    const channels = await Promise.all(found.channels!.map(unpacked))
    return { sampleRate: found.sampleRate, channels }
  }

  /** Findings of a recording that was analysed with these stated tempos, by this version of the analysis. */
  findings(recordingId: string, stated: readonly StatedTempo[]): Promise<Findings | undefined> {
    return this.db.get('findings', findingsKey(recordingId, stated))
  }

  async keepFindings(recordingId: string, findings: Findings): Promise<void> {
    await this.db.put('findings', findings, findingsKey(recordingId, findings.stated))
  }
}

const findingsKey = (recordingId: string, stated: readonly StatedTempo[]): string =>
  [recordingId, `v${ANALYSIS_VERSION}`, ...stated.map((t) => `${t.from}=${t.bpm}`)].join(' ')
