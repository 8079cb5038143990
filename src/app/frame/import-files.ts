// Bringing recordings in: decode, keep, put on tracks; bad files are named and the rest come in.
import { newSession, newTrack } from '../../core/session/create'
import { addTrack, setMethod } from '../../core/session/edits'
import type { AudioData } from '../../core/audio/buffer'
import { statedTempos } from '../../core/analysis/beats/stated'
import type { Recording, Session } from '../../core/session/types'
import { beats, samples, type Beats } from '../../core/units'
import { decodeFile, type Imported } from '../../engine/import/decode'
import { watch } from 'vue'
import { useRouter } from 'vue-router'
import { useMedia } from '../stores/media'
import { useMessages } from '../stores/messages'
import { library, pack, pool } from '../stores/services'
import { useSession } from '../stores/session'
import { useTasks } from '../stores/tasks'
import { sessionFilesAmong, useSessionFiles } from './session-files'

const shortId = (): string => crypto.randomUUID().slice(0, 8)

/**
 * What the browser decodes is analysed before it is drawn, if what is dropped at once is no longer than this: it is
 * seen soon enough, seconds.
 */
const SOON_ANALYSED = 300

const secondsOf = (all: readonly AudioData[]): number =>
  all.reduce((sum, { channels, sampleRate }) => sum + channels[0]!.length / sampleRate, 0)

/** The document's entry of a recording. */
export const recordingOf = (name: string, i: Imported): Recording => ({
  id: i.id,
  name,
  sampleRate: i.audio.sampleRate,
  channels: i.audio.channels.length,
  length: samples(i.audio.channels[0]!.length),
  coding: i.coding,
  stated: statedTempos(name, i.taggedBpm),
})

/** Adds recordings to a session, a track each. */
function withTracks(
  s: Session,
  parts: readonly { recording: Recording; trackId: string }[],
  place: Beats,
): Session {
  return parts.reduce((sum, p) => addTrack(sum, p.recording, newTrack(p.trackId, p.recording, place)), s)
}

export function useImport() {
  const store = useSession()
  const media = useMedia()
  const messages = useMessages()
  const tasks = useTasks()
  const router = useRouter()
  const sessionFiles = useSessionFiles()

  /** Decodes files one after another; a bad one becomes a message and nothing else. */
  async function decodeAll(files: readonly File[]): Promise<{ name: string; imported: Imported }[]> {
    const out: { name: string; imported: Imported }[] = []
    await tasks.run(
      files.length === 1 ? `Reading “${files[0]!.name}”` : `Reading ${files.length} files`,
      async (progress, signal) => {
        for (const [i, file] of files.entries()) {
          progress(i / files.length)
          if (signal.aborted) return
          await messages.attempt(async () => {
            const imported = await decodeFile(file, pool)
            for (const w of imported.warnings) messages.say(`“${file.name}”: ${w}`)
            out.push({ name: file.name, imported })
          })
        }
      },
    )
    return out
  }

  /** Once a new track's recording is analysed, its method becomes the suggested one, unless it was chosen already. */
  function suggestLater(
    parts: readonly { recording: Recording; trackId: string }[],
    label: string,
    key: string,
  ): void {
    for (const { recording, trackId } of parts) {
      const stop = watch(
        () => media.findings.get(recording.id),
        (found) => {
          if (!found) return
          queueMicrotask(() => stop())
          const track = store.session?.tracks.find((t) => t.id === trackId)
          const method = found.material.suggested
          if (track?.method.method !== 'chords' || method === 'chords') return
          store.edit(
            // Part of bringing it in, unless something else was done since.
            store.undoLabel === label ? label : `Suggested method for “${track.name}”`,
            (s) => setMethod(s, trackId, { method }),
            key,
          )
        },
        { immediate: true },
      )
    }
  }

  /** Brings in what was chosen or dropped: recordings, each on a track of its own, and whole sessions. */
  async function importFiles(files: readonly File[]): Promise<void> {
    const { sessions, others } = await sessionFilesAmong(files)
    await importRecordings(others)
    for (const file of sessions) await messages.attempt(() => sessionFiles.open(file))
  }

  async function importRecordings(files: readonly File[]): Promise<void> {
    if (files.length === 0) return
    const decoded = await decodeAll(files)
    if (decoded.length === 0) return
    const drawnFirst = secondsOf(decoded.map((d) => d.imported.audio)) > SOON_ANALYSED
    const bring = (): void => {
      for (const { name, imported } of decoded)
        void messages.attempt(() => media.bring(recordingOf(name, imported), imported, drawnFirst))
    }
    // Workers do first what they are asked first.
    if (!drawnFirst) bring()
    const kept = await library
    const stored = decoded.map(({ imported }) =>
      kept.keepRecording(
        imported.id,
        imported.audio,
        async (channels) => {
          const packed = await pack(channels)
          // While it is written: its worker has nothing else to do then.
          media.draw(imported.id)
          return packed
        },
        imported.file,
      ),
    )
    if (drawnFirst) bring()
    await Promise.all(stored)
    const parts = decoded.map((d) => ({ recording: recordingOf(d.name, d.imported), trackId: shortId() }))
    const key = `import ${shortId()}`
    if (!store.session) {
      const name = decoded[0]!.name.replace(/\.[^.]+$/, '')
      const session = newSession(shortId(), name, Math.round(parts[0]!.recording.sampleRate))
      await store.create(session)
      await router.push(`/session/${session.id}/timing`)
      await until(() => store.session?.id === session.id)
    }
    const label = parts.length === 1 ? `Add “${parts[0]!.recording.name}”` : `Add ${parts.length} recordings`
    store.edit(label, (s) => withTracks(s, parts, beats(0)), key)
    suggestLater(parts, label, key)
  }

  return { importFiles }
}

/** Resolves once a condition on reactive state holds. */
function until(condition: () => boolean): Promise<void> {
  return new Promise((done) => {
    const stop = watch(
      condition,
      (now) => {
        if (!now) return
        queueMicrotask(() => stop())
        done()
      },
      { immediate: true },
    )
  })
}
