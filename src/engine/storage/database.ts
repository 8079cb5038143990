// The browser's database: sessions with their history, recordings, findings.
import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import type { Step } from '../../core/session/history'
import type { Session } from '../../core/session/types'
import type { Findings } from '../../core/analysis/analyse'

/** A session as it is kept: the document, its history, and what the shelf shows. */
export interface StoredSession {
  readonly id: string
  readonly session: Session
  readonly steps: readonly Step[]
  readonly cursor: number
  /** Milliseconds since 1970. */
  readonly updated: number
  /** Set when it was deleted and may still be taken back. */
  readonly deleted: number | null
  /** Waveform outlines, one a track: 0-1 heights of even slices of the session. */
  readonly picture: readonly (readonly number[])[]
}

export interface StoredRecording {
  readonly id: string
  readonly sampleRate: number
  /** A copy of the WAV or AIFF file that it was brought in as; it decodes to the same samples. */
  readonly file?: Blob
  /** Else 32-bit floats of each channel, in this machine's byte order; the oldest were kept as arrays. */
  readonly channels?: readonly (Blob | Float32Array)[]
  /** When it was brought in, milliseconds since 1970. */
  readonly kept: number
}

interface Schema extends DBSchema {
  sessions: { key: string; value: StoredSession }
  recordings: { key: string; value: StoredRecording; indexes: { kept: number } }
  findings: { key: string; value: Findings }
}

export type Database = IDBPDatabase<Schema>

/** Opens the database, creating its stores the first time. */
export const openDatabase = (name = 'unwarp'): Promise<Database> =>
  openDB<Schema>(name, 1, {
    upgrade(db) {
      db.createObjectStore('sessions', { keyPath: 'id' })
      db.createObjectStore('recordings', { keyPath: 'id' }).createIndex('kept', 'kept')
      db.createObjectStore('findings')
    },
  })
