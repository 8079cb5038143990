// Recordings of the open session: their samples, peaks and findings.
import { defineStore } from 'pinia'
import { ref, shallowReactive } from 'vue'
import type { Findings } from '../../core/analysis/analyse'
import type { Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { Recording, Session } from '../../core/session/types'
import { decodeKept, shared, type Imported } from '../../engine/import/decode'
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

/** A recording on its way in. */
interface Brought {
  readonly audio: AudioData
  /** Where it is being made ready to be seen. */
  drawn?: Promise<Media>
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
  const brought = new Map<string, Brought>()

  const drawable = async (audio: AudioData): Promise<Media> => ({
    audio,
    peaks: await pool.run((w) => w.peaks(audio.channels)),
  })

  /**
   * Analyses a dropped recording while it is being stored.
   *
   * @param drawnFirst its wave is made before, or a person would look at nothing until a long analysis is done
   */
  async function bring(
    recording: Recording,
    { audio, peaks }: Pick<Imported, 'audio' | 'peaks'>,
    drawnFirst: boolean,
  ): Promise<void> {
    if (!media.has(recording.id)) brought.set(recording.id, ready(audio, peaks))
    if (drawnFirst) draw(recording.id)
    await analyse(recording)
  }

  const ready = (audio: AudioData, peaks: readonly Peaks[] | null): Brought =>
    peaks ? { audio, drawn: Promise.resolve({ audio, peaks }) } : { audio }

  /** A recording from where it is kept. */
  async function fetched(id: string): Promise<AudioData> {
    const audio = await (
      await library
    ).recording(id, async (file) => {
      const { audio, peaks } = await decodeKept(file, id, pool)
      brought.set(id, ready(audio, peaks))
      return audio
    })
    return shared(audio)
  }

  /** Makes the wave of a recording that is being brought in, unless that is under way. */
  function draw(id: string): void {
    const coming = brought.get(id)
    if (!coming || coming.drawn) return
    coming.drawn = drawable(coming.audio)
    // Whoever needs it is told.
    coming.drawn.catch(() => undefined)
  }

  /** Analyses a recording, unless its findings are known; told in the corner while it goes on. */
  async function analyse(recording: Recording): Promise<void> {
    const audio = media.get(recording.id)?.audio ?? brought.get(recording.id)?.audio
    if (!audio || findings.has(recording.id) || analysing.has(recording.id)) return
    analysing.add(recording.id)
    try {
      const kept = await library
      const known = await kept.findings(recording.id, recording.stated ?? [])
      const found =
        known ??
        (await tasks.run(`Finding transients in “${recording.name}”`, (progress, signal, relabel) =>
          analyseRecording(pool, audio, recording.stated ?? [], {
            progress,
            signal,
            transients: (found) => {
              transients.set(recording.id, found)
              relabel(`Finding beats, pitch and key in “${recording.name}”`)
            },
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
    if (!media.has(recording.id))
      media.set(recording.id, await (brought.get(recording.id)?.drawn ?? drawable(audio)))
    void messages.attempt(() => analyse(recording))
    const fitting =
      audio.sampleRate === rate
        ? audio
        : shared(
            await tasks.run(`Fitting “${recording.name}” to ${rate / 1000} kHz`, (progress, signal) =>
              pool.run((w, flag) => w.resample(audio, rate, flag, proxy(progress)), signal),
            ),
          )
    // Workers are told before they are asked for anything of it; until busy ones have listened, what is untouched can be heard.
    const told = pool.keep(recording.id, fitting, rate)
    sessionAudio.set(recording.id, fitting)
    heard.value++
    await told
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
          const audio = media.get(r.id)?.audio ?? brought.get(r.id)?.audio ?? (await fetched(r.id))
          await hold(r, audio, session.sampleRate)
          brought.delete(r.id)
        } finally {
          loading.delete(r.id)
        }
      }),
    )
  }

  return { media, findings, transients, analysing, heard, ensure, bring, draw, analyse }
})
