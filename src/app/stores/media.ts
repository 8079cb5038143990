// Recordings of the open session: their samples, peaks and findings.
import { defineStore } from 'pinia'
import { ref, shallowReactive } from 'vue'
import type { Findings } from '../../core/analysis/analyse'
import type { Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { Recording, Session } from '../../core/session/types'
import { shared } from '../../engine/import/decode'
import { proxy } from '../../engine/workers/pool'
import { analyseRecording } from '../../engine/workers/analysis'
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
  /** Known before the rest of the findings. */
  const transients = shallowReactive(new Map<string, readonly Transient[]>())
  const analysing = shallowReactive(new Set<string>())
  /** Counts recordings that have become ready to be heard. */
  const heard = ref(0)
  const loading = new Set<string>()
  /** Recordings that were brought in and are not held yet: they need not be read back from where they are kept. */
  const brought = new Map<string, AudioData>()

  /**
   * Analyses a recording, unless its findings are known; told in the corner while it goes on.
   *
   * @param given its samples, where they are not held here yet: a dropped file is analysed while it is being stored
   */
  async function analyse(recording: Recording, given?: AudioData): Promise<void> {
    const audio = given ?? media.get(recording.id)?.audio
    if (given && !media.has(recording.id)) brought.set(recording.id, given)
    if (!audio || findings.has(recording.id) || analysing.has(recording.id)) return
    analysing.add(recording.id)
    try {
      const kept = await library
      const known = await kept.findings(recording.id, recording.stated ?? [])
      const found =
        known ??
        (await tasks.run(`Analysing “${recording.name}”`, (progress, signal) =>
          analyseRecording(pool, audio, recording.stated ?? [], {
            progress,
            signal,
            transients: (found) => transients.set(recording.id, found),
          }),
        ))
      transients.set(recording.id, found.transients)
      findings.set(recording.id, found)
      if (!known) await kept.keepFindings(recording.id, found)
    } finally {
      analysing.delete(recording.id)
    }
  }

  /** Makes a recording known under its id, at its own rate and at the session's. */
  async function hold(recording: Recording, audio: AudioData, rate: number): Promise<void> {
    if (!media.has(recording.id)) {
      const peaks = await pool.run((w) => w.peaks(audio.channels))
      media.set(recording.id, { audio, peaks })
    }
    void messages.attempt(() => analyse(recording))
    const fitting =
      audio.sampleRate === rate
        ? audio
        : shared(
            await tasks.run(`Fitting “${recording.name}” to ${rate / 1000} kHz`, (progress, signal) =>
              pool.run((w, flag) => w.resample(audio, rate, flag, proxy(progress)), signal),
            ),
          )
    await pool.keep(recording.id, fitting, rate)
    sessionAudio.set(recording.id, fitting)
    heard.value++
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
          const audio =
            media.get(r.id)?.audio ?? brought.get(r.id) ?? shared(await (await library).recording(r.id))
          await hold(r, audio, session.sampleRate)
          brought.delete(r.id)
        } finally {
          loading.delete(r.id)
        }
      }),
    )
  }

  return { media, findings, transients, analysing, heard, ensure, analyse }
})
