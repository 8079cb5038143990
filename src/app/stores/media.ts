// Recordings of the open session: their samples, peaks and findings.
import { defineStore } from 'pinia'
import { shallowReactive } from 'vue'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { Recording, Session } from '../../core/session/types'
import { shared } from '../../engine/import/decode'
import { proxy } from '../../engine/workers/pool'
import type { Findings } from '../../engine/workers/tasks'
import { library, pool, sessionAudio } from './services'
import { useMessages } from './messages'
import { useTasks } from './tasks'

/** A recording as the desks use it. */
export interface Media {
  readonly audio: AudioData
  readonly peaks: readonly Peaks[]
}

export const useMedia = defineStore('media', () => {
  const tasks = useTasks()
  const messages = useMessages()
  const media = shallowReactive(new Map<string, Media>())
  const findings = shallowReactive(new Map<string, Findings>())
  const loading = new Set<string>()

  async function analyse(recording: Recording, audio: AudioData): Promise<void> {
    const kept = await library
    const known = await kept.findings(recording.id)
    if (known) {
      findings.set(recording.id, known)
      return
    }
    const found = await tasks.run(`Finding transients in “${recording.name}”`, (progress, signal) =>
      pool.run((w, flag) => w.analyse(audio, flag, proxy(progress)), signal),
    )
    findings.set(recording.id, found)
    await kept.keepFindings(recording.id, found)
  }

  /** Makes a recording known under its id, at its own rate and at the session's. */
  async function hold(recording: Recording, audio: AudioData, sessionRate: number): Promise<void> {
    const peaks = await pool.run((w) => w.peaks(audio.channels))
    media.set(recording.id, { audio, peaks })
    const fitting =
      audio.sampleRate === sessionRate ? audio : shared(await pool.run((w) => w.resample(audio, sessionRate)))
    await pool.keep(recording.id, fitting, sessionRate)
    sessionAudio.set(recording.id, fitting)
  }

  /** Loads what a session names and is not here yet; analysis goes on in the background. */
  async function ensure(session: Session): Promise<void> {
    const missing = session.recordings.filter(
      (r) =>
        !loading.has(r.id) && (!media.has(r.id) || sessionAudio.get(r.id)?.sampleRate !== session.sampleRate),
    )
    await Promise.all(
      missing.map(async (r) => {
        loading.add(r.id)
        try {
          const audio = media.get(r.id)?.audio ?? shared(await (await library).recording(r.id))
          const held = hold(r, audio, session.sampleRate)
          if (!findings.has(r.id)) void messages.attempt(() => analyse(r, audio))
          await held
        } finally {
          loading.delete(r.id)
        }
      }),
    )
  }

  return { media, findings, ensure }
})
