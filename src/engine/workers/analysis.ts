// Analyses a recording on the pool: the frames on all workers at once, then the conclusions on one.
import { joinOnsets, onsetFrames } from '../../core/analysis/onset-strength'
import type { Findings } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import { joinCandidates, pitchFrames } from '../../core/analysis/pitch/candidates'
import { splitFrames } from '../../core/analysis/progress'
import { channelSource } from '../../core/analysis/source'
import type { Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { proxy, type WorkerPool } from './pool'
import { claimable } from './claims'
import type { Help, MeasuredFrames, Pieces } from './tasks'

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

/** Pieces of the frames for each worker, at least: who has less else to do takes more of them. */
const PIECES = 4
/** Longest piece, seconds: what is to be heard meanwhile waits for the end of one. */
const LONGEST_PIECE = 30

/** The frames of a recording in their order, from several workers. @param progress told the share done, 0-1 */
async function framesOf(
  pool: WorkerPool,
  audio: AudioData,
  workers: number,
  signal: AbortSignal,
  progress: (done: number) => void,
): Promise<MeasuredFrames[]> {
  const { channels, sampleRate } = audio
  const seconds = channels[0]!.length / sampleRate
  const claims =
    workers > 1 ? claimable(Math.max(PIECES * workers, Math.ceil(seconds / LONGEST_PIECE))) : null
  const count = claims?.length ?? workers
  const pitches = splitFrames(pitchFrames(channelSource(channels, sampleRate, true)), count)
  const pieces = splitFrames(onsetFrames(channels, sampleRate), count).map((onset, i) => ({
    onset,
    pitch: pitches[i]!,
  }))
  const done = new Float64Array(workers)
  const made = await Promise.all(
    Array.from({ length: workers }, (_, i) => {
      const own = claims ? pieces : pieces.slice(i, i + 1)
      const told = proxy((share: number) => {
        done[i] = (share * own.length) / count
        progress(done.reduce((a, b) => a + b, 0))
      })
      return pool.run(
        (w, flag) => w.analysisFrames(audio, own, claims, i + 1, flag, told),
        signal,
        'yielding',
      )
    }),
  )
  const parts: MeasuredFrames[] = []
  made.forEach((some, i) => {
    for (const [piece, frames] of some) parts[claims ? piece : i] = frames
  })
  return parts
}

/** The other workers of a pool as helpers of the one that judges a recording. */
function helpOf(pool: WorkerPool, audio: AudioData, signal: AbortSignal): Help {
  const helpers = new Map<string, Promise<Pieces<never>>>()
  return {
    begin(work, list, claims) {
      for (let who = 2; who <= pool.size; who++) {
        const made = pool.run((w, flag) => w.share(work, audio, list, claims, who, flag), signal, 'yielding')
        // Should all be cancelled, nobody may ask for it any more.
        made.catch(() => undefined)
        helpers.set(`${work} ${who}`, made as Promise<Pieces<never>>)
      }
    },
    from: (work, who) => helpers.get(`${work} ${who}`)!,
  }
}

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
  const workers = seconds > WORTH_SHARING ? pool.size : 1
  const parts = await framesOf(pool, audio, workers, signal, (done) => progress(FRAMES_END * done))
  const curve = joinOnsets(parts.map((p) => p.curve))
  const candidates = joinCandidates(parts.map((p) => p.candidates))
  // Nothing may come back: what a callback returns is sent to the worker.
  const early = proxy((found: readonly Transient[]) => {
    watch.transients(found)
  })
  // Only where other workers can read the recording where it lies.
  const isShared = !(channels[0]!.buffer instanceof ArrayBuffer)
  const help = isShared ? proxy(helpOf(pool, audio, signal)) : null
  const measured = await pool.run((w, flag) => w.judge(audio, curve, candidates, flag, early, help), signal)
  progress(JUDGED_END)
  const rest = proxy((share: number) => progress(JUDGED_END + (1 - JUDGED_END) * share))
  return pool.run((w, flag) => w.conclude(audio, measured, stated, flag, rest), signal)
}
