// One look at a whole recording before any of its frames is made; several workers can share it.
import { energy, meanEnergy } from '../dsp/energy'
import type { FrameRange, Progress } from './progress'

/** Below this share of the loudest channel's energy the mean of the channels is taken to cancel. */
const CANCELS = 0.25
/** Loudness is measured over blocks of this many seconds. */
const LOUDNESS_SECONDS = 0.1

/** What one look at a whole recording tells. */
export interface Survey {
  /** Channel with the most energy. */
  readonly loudest: number
  /** The mean of the channels would be much weaker than they are. */
  readonly cancels: boolean
  /** Root mean square of the loud parts: what 95 % of the recording's tenths of a second stay below. */
  readonly loudness: number
}

const blockOf = (sampleRate: number): number => Math.max(1, Math.round(LOUDNESS_SECONDS * sampleRate))

/** Blocks that a recording of so many samples is looked at in. */
export const surveyBlocks = (length: number, sampleRate: number): number =>
  Math.ceil(length / blockOf(sampleRate))

/**
 * Energies of a stretch of blocks.
 *
 * @param progress told now and then; may throw to cancel
 * @returns for every block the sums of squares of each channel and of the mean of all
 */
export function blockEnergies(
  channels: readonly Float32Array[],
  sampleRate: number,
  range: FrameRange,
  progress?: Progress,
): Float64Array {
  const block = blockOf(sampleRate)
  const length = channels[0]?.length ?? 0
  const row = channels.length + 1
  const out = new Float64Array((range.to - range.from) * row)
  for (let b = range.from; b < range.to; b++) {
    if (b % 512 === 0) progress?.(0)
    const from = b * block
    const to = Math.min(length, from + block)
    const at = (b - range.from) * row
    channels.forEach((x, c) => (out[at + c] = energy(x, from, to)))
    out[at + channels.length] = channels.length > 1 ? meanEnergy(channels, from, to) : out[at]!
  }
  return out
}

/** What the energies of all blocks say. @param length samples of the recording */
export function surveyFrom(
  energies: Float64Array,
  channelCount: number,
  length: number,
  sampleRate: number,
): Survey {
  const block = blockOf(sampleRate)
  const row = channelCount + 1
  const powers = new Float64Array(energies.length / row)
  const sums = new Float64Array(row)
  for (let b = 0; b < powers.length; b++)
    for (let c = 0; c < row; c++) {
      const e = energies[b * row + c]!
      sums[c]! += e
      if (c < channelCount) powers[b]! += e / Math.min(block, length - b * block) / channelCount
    }
  powers.sort()
  const each = sums.subarray(0, channelCount)
  const most = Math.max(0, ...each)
  return {
    loudest: Math.max(0, each.indexOf(most)),
    cancels: channelCount > 1 && sums[channelCount]! < CANCELS * most,
    loudness: Math.sqrt(powers[Math.floor(0.95 * powers.length)] ?? 0),
  }
}

/** Looks a recording over once. @param progress told now and then; may throw to cancel */
export function survey(channels: readonly Float32Array[], sampleRate: number, progress?: Progress): Survey {
  const length = channels[0]?.length ?? 0
  const all = { from: 0, to: surveyBlocks(length, sampleRate) }
  return surveyFrom(blockEnergies(channels, sampleRate, all, progress), channels.length, length, sampleRate)
}

/** Surveys, for as long as a recording's first channel is kept. */
const surveys = new WeakMap<
  Float32Array,
  { readonly channels: readonly Float32Array[]; readonly seen: Survey }
>()

export const sameChannels = (a: readonly Float32Array[], b: readonly Float32Array[]): boolean =>
  a.length === b.length && a.every((c, i) => c === b[i])

/** Lets `surveyOf` know the survey of a recording that was looked over elsewhere. */
export function knowSurvey(channels: readonly Float32Array[], seen: Survey): void {
  if (channels[0]) surveys.set(channels[0], { channels: [...channels], seen })
}

/** The survey of a recording, made once. */
export function surveyOf(channels: readonly Float32Array[], sampleRate: number, progress?: Progress): Survey {
  const known = channels[0] && surveys.get(channels[0])
  if (known && sameChannels(known.channels, channels)) return known.seen
  const seen = survey(channels, sampleRate, progress)
  knowSurvey(channels, seen)
  return seen
}
