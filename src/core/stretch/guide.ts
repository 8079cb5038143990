// The pitch of a recording where a method needs it: found block by block, at fixed places, and remembered.
import { pitchCandidates } from '../analysis/pitch/candidates'
import { trackPitch } from '../analysis/pitch/track'
import { mainSource } from '../analysis/source'
import { sliceRange } from '../dsp/signal'
import type { Source } from './types'

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

interface Kept {
  readonly source: Source
  readonly guide: PitchGuide
}
/** By first channel: the same channel may be read alone and beside others, which have a pitch of their own. */
const known = new WeakMap<Float32Array, Kept>()

const same = (a: Source, b: Source): boolean =>
  a.sampleRate === b.sampleRate &&
  a.channels.length === b.channels.length &&
  a.channels.every((c, i) => c === b.channels[i])

/**
 * Pitch of a recording by place, the same whatever is asked for first.
 *
 * Source: analysis/pitch (candidates and a Viterbi path), on blocks of four seconds.
 */
export function pitchGuide(source: Source): PitchGuide {
  const first = source.channels[0]!
  const made = known.get(first)
  if (made && same(made.source, source)) return made.guide
  const size = Math.round(BLOCK * source.sampleRate)
  const margin = Math.round(MARGIN * source.sampleRate)
  const blocks = new Map<number, Block>()
  const blockOf = (k: number): Block => {
    const here = blocks.get(k)
    if (here) return here
    const channels = source.channels.map((c) => sliceRange(c, k * size - margin, (k + 1) * size + margin))
    const { hop, f0 } = trackPitch(pitchCandidates(mainSource(channels, source.sampleRate)))
    const block = { hop: hop * source.sampleRate, f0 }
    blocks.set(k, block)
    if (blocks.size > MOST) blocks.delete(blocks.keys().next().value!)
    return block
  }
  const guide: PitchGuide = (place) => {
    const k = Math.floor(place / size)
    const { hop, f0 } = blockOf(k)
    return f0[Math.round((place - k * size + margin) / hop)] ?? 0
  }
  known.set(first, { source, guide })
  return guide
}
