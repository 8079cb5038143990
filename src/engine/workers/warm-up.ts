// The usual work done on made-up audio, round by round, so that compilers are through with it before there is a file.
import { judged } from '../../core/analysis/analyse'
import { framePieces, framesIn, joinFrames } from '../../core/analysis/frames'
import { survey } from '../../core/analysis/survey'
import type { Progress } from '../../core/analysis/progress'
import type { AudioData } from '../../core/audio/buffer'
import { randomFrom } from '../../core/dsp/random'
import { tempoInTags } from '../../core/formats/tags'
import { stretchAudio } from '../../core/stretch/stretch'
import { DEFAULT_STRETCH, METHOD_NAMES } from '../../core/stretch/types'
import { sharedMemory } from './shared'

const RATE = 44100
/** Samples of a round, and between its attacks. */
const LENGTH = 8 * RATE
const APART = 6000

/** Noise bursts and dying tones in turn, in stereo. @param round tells the pitches */
function madeUp(round: number): AudioData {
  const random = randomFrom(1 + round)
  const [left, right] = [sharedMemory(LENGTH), sharedMemory(LENGTH)]
  for (let start = 0, hit = 0; start < LENGTH; start += APART, hit++) {
    const hz = 110 * 2 ** (((5 * hit + round) % 24) / 12)
    const [turn, fade] = [2 * Math.cos((2 * Math.PI * hz) / RATE), Math.exp(-1 / 3000)]
    let [level, before, tone] = [0.5, 0, Math.sin((2 * Math.PI * hz) / RATE)]
    for (let i = start; i < Math.min(LENGTH, start + APART); i++) {
      left[i] = level * (hit % 2 ? 2 * random() - 1 : tone)
      right[i] = 0.7 * left[i]!
      level *= fade
      ;[before, tone] = [tone, turn * tone - before]
    }
  }
  return { sampleRate: RATE, channels: [left, right] }
}

/** In pieces and with somebody to tell, as it is done: code that was compiled for less would be compiled again. */
function analyseOnce({ channels, sampleRate }: AudioData, told: Progress): void {
  const seen = survey(channels, sampleRate, told)
  const pieces = framePieces(channels, sampleRate, 2)
  const { curve, candidates } = joinFrames(
    pieces.map((piece) => framesIn(channels, sampleRate, piece, seen, told)),
  )
  judged(channels, sampleRate, curve, candidates, told)
}

function stretchOnce(source: AudioData): void {
  const length = RATE / 2
  const map = [0, length].map((at) => ({ source: at, target: Math.round(1.1 * at) }))
  const part = { ...source, channels: source.channels.slice(0, 1).map((c) => c.slice(0, length)) }
  for (const method of METHOD_NAMES) stretchAudio(part, map, [APART], { ...DEFAULT_STRETCH, method })
}

/**
 * One round. Compilers look at what has been done often, which one round is not.
 *
 * @param round from 0 on; @param check throws when there is real work
 */
export async function warmUp(round: number, check: () => void): Promise<void> {
  const audio = madeUp(round)
  analyseOnce(audio, check)
  if (round > 0) return
  // The first stretch of a session should not be the first of the worker, nor its first file wait for the reader of tags.
  stretchOnce(audio)
  await tempoInTags(new Uint8Array(12))
}
