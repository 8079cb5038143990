// Analyses a recording on the pool: the frames on all workers at once, then the conclusions on one.
import type { Findings } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import { framePieces, joinFrames, type MeasuredFrames } from '../../core/analysis/frames'
import { splitFrames } from '../../core/analysis/progress'
import { joined } from '../../core/dsp/signal'
import { surveyBlocks, surveyFrom } from '../../core/analysis/survey'
import type { Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { proxy, type WorkerPool } from './pool'
import { inPieces } from './in-pieces'
import type { Help, Pieces, Surveyed } from './tasks'

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

/** Looks a recording over. @param count pieces */
async function surveyed(
  pool: WorkerPool,
  audio: AudioData,
  count: number,
  signal: AbortSignal,
): Promise<Surveyed> {
  const { channels, sampleRate } = audio
  const length = channels[0]?.length ?? 0
  const ranges = splitFrames(surveyBlocks(length, sampleRate), count)
  const energies = await inPieces(
    pool,
    count,
    ({ worker, claims, who, flag }) => worker.survey(audio, ranges, claims, who, flag),
    signal,
    'yielding',
  )
  return { audio, seen: surveyFrom(joined(energies), channels.length, length, sampleRate) }
}

/** The frames of a recording. @param count pieces; @param progress told the share done, 0-1 */
async function framesOf(
  pool: WorkerPool,
  audio: AudioData,
  known: Promise<Surveyed>,
  count: number,
  signal: AbortSignal,
  progress: (done: number) => void,
): Promise<MeasuredFrames> {
  const pieces = framePieces(audio.channels, audio.sampleRate, count)
  const done: number[] = []
  const parts = await inPieces(
    pool,
    count,
    async ({ worker, claims, who, flag }) => {
      const told = proxy((share: number) => {
        done[who] = share
        progress(done.reduce((a, b) => a + b, 0))
      })
      return worker.analysisFrames(await known, pieces, claims, who, flag, told)
    },
    signal,
    'yielding',
  )
  return joinFrames(parts)
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
  const count = seconds > WORTH_SHARING ? Math.max(PIECES * pool.size, Math.ceil(seconds / LONGEST_PIECE)) : 1
  // Both are asked for at once, or workers would do in between what was asked for later.
  const looked = surveyed(pool, audio, count, signal)
  const frames = await framesOf(pool, audio, looked, count, signal, (done) => progress(FRAMES_END * done))
  const known = await looked
  // Nothing may come back: what a callback returns is sent to the worker.
  const early = proxy((found: readonly Transient[]) => {
    watch.transients(found)
  })
  // Only where other workers can read the recording where it lies.
  const isShared = !(channels[0]!.buffer instanceof ArrayBuffer)
  const help = isShared ? proxy(helpOf(pool, audio, signal)) : null
  const measured = await pool.run((w, flag) => w.judge(known, frames, flag, early, help), signal)
  progress(JUDGED_END)
  const rest = proxy((share: number) => progress(JUDGED_END + (1 - JUDGED_END) * share))
  return pool.run((w, flag) => w.conclude(known, measured, stated, flag, rest), signal)
}
