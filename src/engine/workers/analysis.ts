// Analyses a recording on the pool: the frames on all workers at once, then the conclusions on one.
import { joinOnsets, onsetFrames } from '../../core/analysis/onset-strength'
import type { Findings } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import { joinCandidates, pitchFrames } from '../../core/analysis/pitch/candidates'
import { splitFrames } from '../../core/analysis/progress'
import { channelSource } from '../../core/analysis/source'
import type { AttackStart } from '../../core/analysis/refine'
import type { Found, Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { proxy, type WorkerPool } from './pool'

export interface AnalysisWatch {
  /** Told the share done, 0-1. */
  readonly progress: (done: number) => void
  readonly signal: AbortSignal
  /** Told the transients as soon as they are known, long before the rest. */
  readonly transients: (found: readonly Transient[]) => void
}

/** Shorter recordings are not worth sharing out, seconds. */
const WORTH_SHARING = 20
/** Shares of the whole work at which its steps end. */
const FRAMES_END = 0.65
const JUDGED_END = 0.7

/**
 * @param stated tempos that the file states
 * @throws Cancelled when the signal fires, InputError when there is no audio
 */
export async function analyseRecording(
  pool: WorkerPool,
  audio: AudioData,
  stated: readonly StatedTempo[],
  watch: AnalysisWatch,
): Promise<Findings> {
  const { channels, sampleRate } = audio
  const { signal, progress } = watch
  const seconds = (channels[0]?.length ?? 0) / sampleRate
  const shares = seconds > WORTH_SHARING ? pool.size : 1
  const onsets = splitFrames(onsetFrames(channels, sampleRate), shares)
  const pitches = splitFrames(pitchFrames(channelSource(channels, sampleRate, true)), shares)
  const done = new Float64Array(shares)
  const parts = await Promise.all(
    onsets.map((onset, i) => {
      const told = proxy((share: number) => {
        done[i] = share
        progress((FRAMES_END * done.reduce((a, b) => a + b, 0)) / shares)
      })
      return pool.run((w, flag) => w.analysisFrames(audio, { onset, pitch: pitches[i]! }, flag, told), signal)
    }),
  )
  const curve = joinOnsets(parts.map((p) => p.curve))
  const candidates = joinCandidates(parts.map((p) => p.candidates))
  // Nothing may come back: what a callback returns is sent to the worker.
  const early = proxy((found: readonly Transient[]) => {
    watch.transients(found)
  })
  // Only where a worker is free (two might wait for each other for ever) and can read the recording where it lies.
  const isShared = !(channels[0]!.buffer instanceof ArrayBuffer)
  const place = proxy(async (found: readonly Found[]): Promise<AttackStart[] | undefined> =>
    isShared && pool.idle > 0 ? pool.run((w, flag) => w.place(audio, found, flag), signal) : undefined,
  )
  const measured = await pool.run((w, flag) => w.judge(audio, curve, candidates, flag, early, place), signal)
  progress(JUDGED_END)
  const rest = proxy((share: number) => progress(JUDGED_END + (1 - JUDGED_END) * share))
  return pool.run((w, flag) => w.conclude(audio, measured, stated, flag, rest), signal)
}
