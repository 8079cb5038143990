// The pitch of a recording where a method needs it: found block by block, at fixed places, and remembered.
import { latest } from '../latest'
import { pitchCandidates } from '../analysis/pitch/candidates'
import { trackPitch } from '../analysis/pitch/track'
import { mainSource } from '../analysis/source'
import { sliceRange } from '../dsp/signal'
import { remembered } from './remembered'

/** Length of a block, and the recording on either side that is looked at with it, seconds. */
const BLOCK = 4
const MARGIN = 0.3
/** Blocks remembered for a recording. */
const MOST = 16

/** Pitch at a place of the recording, Hz; 0 where there is none. */
export type PitchGuide = (place: number) => number

interface Block {
  readonly hop: number
  readonly f0: Float32Array
}

/**
 * Pitch of a recording by place, the same whatever is asked for first.
 *
 * Source: analysis/pitch (candidates and a Viterbi path), on blocks of four seconds.
 */
export const pitchGuide = remembered((source): PitchGuide => {
  const size = Math.round(BLOCK * source.sampleRate)
  const margin = Math.round(MARGIN * source.sampleRate)
  const blocks = latest<number, Block>(MOST)
  const makeBlock = (k: number): Block => {
    const channels = source.channels.map((c) => sliceRange(c, k * size - margin, (k + 1) * size + margin))
    const { hop, f0 } = trackPitch(pitchCandidates(mainSource(channels, source.sampleRate)), true)
    return { hop: hop * source.sampleRate, f0 }
  }
  return (place) => {
    const k = Math.floor(place / size)
    const { hop, f0 } = blocks.of(k, () => makeBlock(k))
    return f0[Math.round((place - k * size + margin) / hop)] ?? 0
  }
})
