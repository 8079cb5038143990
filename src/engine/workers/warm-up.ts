// The usual work done on made-up audio, round by round, so that compilers are through with it before there is a file.
import { judged } from '../../core/analysis/analyse'
import { joinOnsets, onsetFrames, onsetStrength } from '../../core/analysis/onset-strength'
import { joinCandidates, pitchCandidates, pitchFrames } from '../../core/analysis/pitch/candidates'
import { splitFrames } from '../../core/analysis/progress'
import { mainSource } from '../../core/analysis/source'
import type { AudioData } from '../../core/audio/buffer'
import { randomFrom } from '../../core/dsp/random'
import { tempoInTags } from '../../core/formats/tags'
import { stretchAudio } from '../../core/stretch/stretch'
import { DEFAULT_STRETCH, METHOD_NAMES } from '../../core/stretch/types'
import { sharedCopy } from './shared'

const RATE = 44100
/** Samples of a round, and between its attacks. */
const LENGTH = 8 * RATE
const APART = 6000

/** Noise bursts and dying tones in turn, in stereo. @param round tells the pitches */
function madeUp(round: number): AudioData {
  const random = randomFrom(1 + round)
  const x = Float32Array.from({ length: LENGTH }, (_, i) => {
    const since = i % APART
    const hit = Math.floor(i / APART)
    const hz = 110 * 2 ** (((5 * hit + round) % 24) / 12)
    const tone = Math.sin((2 * Math.PI * hz * i) / RATE)
    return (hit % 2 ? random() - 0.5 : 0.5 * tone) * Math.exp(-since / 3000)
  })
  return { sampleRate: RATE, channels: [x, x.map((v) => 0.7 * v)].map(sharedCopy) }
}

const nobody = (): void => undefined

/** In pieces and with somebody to tell, as it is done: code that was compiled for less would be compiled again. */
function analyseOnce({ channels, sampleRate }: AudioData): void {
  const main = mainSource(channels, sampleRate, true)
  const pitches = splitFrames(pitchFrames(main), 2)
  const parts = splitFrames(onsetFrames(channels, sampleRate), 2).map((onset, i) => ({
    curve: onsetStrength(channels, sampleRate, nobody, onset),
    candidates: pitchCandidates(main, nobody, pitches[i]!),
  }))
  const curve = joinOnsets(parts.map((p) => p.curve))
  judged(channels, sampleRate, curve, joinCandidates(parts.map((p) => p.candidates)), nobody)
}

function stretchOnce(source: AudioData): void {
  const length = RATE / 2
  const map = [0, length].map((at) => ({ source: at, target: Math.round(1.1 * at) }))
  const part = { ...source, channels: source.channels.slice(0, 1).map((c) => c.slice(0, length)) }
  for (const method of METHOD_NAMES) stretchAudio(part, map, [APART], { ...DEFAULT_STRETCH, method })
}

/** One round. Compilers look at what has been done often, which one round is not. @param round from 0 on */
export async function warmUp(round: number): Promise<void> {
  const audio = madeUp(round)
  analyseOnce(audio)
  if (round > 0) return
  // The first stretch of a session should not be the first of the worker, nor its first file wait for the reader of tags.
  stretchOnce(audio)
  await tempoInTags(new Uint8Array(12))
}
