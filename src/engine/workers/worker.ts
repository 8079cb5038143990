// The worker: decodes, analyses and renders with the core.
import { expose, transfer } from 'comlink'
import { conclude, eventsIn, finished, heardIn } from '../../core/analysis/analyse'
import { findBeats } from '../../core/analysis/beats/track'
import { onsetStrength } from '../../core/analysis/onset-strength'
import { pitchCandidates } from '../../core/analysis/pitch/candidates'
import { part, type Progress } from '../../core/analysis/progress'
import { mainSource } from '../../core/analysis/source'
import { withParts } from '../../core/analysis/events'
import { isAiff, readAiff } from '../../core/audio/aiff'
import type { AudioData } from '../../core/audio/buffer'
import { buildPeaks } from '../../core/audio/peaks'
import { resample } from '../../core/audio/resample'
import { readWav, requireFinite } from '../../core/audio/wav-read'
import { loadFft } from '../../core/dsp/fft'
import { Cancelled } from '../../core/errors'
import { readSessionFile, writeSessionFile } from '../../core/formats/session-file'
import { tempoInTags } from '../../core/formats/tags'
import { hashAudio } from '../../core/hash'
import { renderPiece } from '../../core/render/piece'
import { packed } from '../storage/pack'
import { doFree } from './claims'
import { sharedMemory } from './shared'
import { shareOf, together } from './sharing'
import type { CancelFlag, FramesPiece, MeasuredFrames, Tasks } from './tasks'
import { warmUp } from './warm-up'

const recordings = new Map<string, AudioData>()

const buffersOf = (channels: readonly Float32Array[]): ArrayBuffer[] =>
  channels.map((c) => c.buffer).filter((b): b is ArrayBuffer => b instanceof ArrayBuffer)

const checkFor = (flag: CancelFlag) => (): void => {
  if (flag && Atomics.load(flag, 0) !== 0) throw new Cancelled()
}

/** Checks for cancelling often, but tells progress only when it has moved. */
function sparing(flag: CancelFlag, progress: (done: number) => void): Progress {
  const check = checkFor(flag)
  let told = -1
  return (done) => {
    check()
    if (done - told > 0.02) progress((told = done))
  }
}

/** Frames in ranges: a part of a recording is lowered as it is read. */
function framesOf({ channels, sampleRate }: AudioData, ranges: FramesPiece, told?: Progress): MeasuredFrames {
  const curve = onsetStrength(channels, sampleRate, part(told, 0, 0.6), ranges.onset)
  const main = mainSource(channels, sampleRate, true)
  return { curve, candidates: pitchCandidates(main, part(told, 0.6, 1), ranges.pitch) }
}

const tasks: Tasks = {
  async warm(round) {
    await loadFft()
    await warmUp(round)
  },
  async read(blob) {
    const bytes = new Uint8Array(await blob.arrayBuffer())
    const file = isAiff(bytes) ? readAiff(bytes, sharedMemory) : readWav(bytes, sharedMemory)
    const id = hashAudio(file.audio.channels, file.audio.sampleRate)
    const taggedBpm = await tempoInTags(bytes)
    return transfer({ ...file, id, taggedBpm }, buffersOf(file.audio.channels))
  },
  async identify(audio) {
    requireFinite(audio.channels)
    return hashAudio(audio.channels, audio.sampleRate)
  },
  tags: (bytes) => tempoInTags(bytes),
  async peaks(channels) {
    const all = channels.map(buildPeaks)
    return transfer(
      all,
      all.flatMap((p) => buffersOf(p.levels.map((l) => l.values))),
    )
  },
  async analysisFrames(audio, pieces, claims, who, flag, progress) {
    await loadFft()
    const told = sparing(flag, progress)
    let done = 0
    return doFree(claims ?? new Int32Array(pieces.length), who, (piece) => {
      const made = framesOf(audio, pieces[piece]!, (share) => told((done + share) / pieces.length))
      done++
      return made
    })
  },
  async judge(audio, curve, candidates, flag, early, help) {
    await loadFft()
    const { channels, sampleRate } = audio
    const check = checkFor(flag)
    const heard = heardIn(channels[0]!.length, sampleRate, curve, candidates, check)
    const places = await together('places', audio, heard.found, help, check)
    const events = eventsIn(heard, places, channels, sampleRate)
    const later = await together('later', audio, events, help, check)
    const transients = withParts(events, later, sampleRate)
    early(transients)
    return finished(channels, sampleRate, curve, candidates, heard.line, transients)
  },
  async share(work, audio, list, claims, who, flag) {
    await loadFft()
    return shareOf(work, audio, list, claims, who, checkFor(flag))
  },
  async conclude({ channels, sampleRate }, measured, stated, flag, progress) {
    await loadFft()
    return conclude(channels, sampleRate, measured, stated, sparing(flag, progress))
  },
  async recount({ rhythm, chroma, stated }, constraints) {
    await loadFft()
    return findBeats(rhythm, chroma, stated, constraints)
  },
  async writeSession(contents, flag, progress) {
    const parts: Blob[] = []
    writeSessionFile(
      contents,
      // As blobs at once, so that a long session need not lie in memory.
      (bytes) => void parts.push(new Blob([bytes as Uint8Array<ArrayBuffer>])),
      sparing(flag, progress),
    )
    return new Blob(parts, { type: 'application/zip' })
  },
  async readSession(file, flag, progress) {
    const told = sparing(flag, progress)
    const contents = readSessionFile(new Uint8Array(await file.arrayBuffer()), told, sharedMemory)
    return transfer(
      contents,
      [...contents.recordings.values()].flatMap((audio) => buffersOf(audio.channels)),
    )
  },
  pack: async (channels) => packed(channels),
  async resample(audio, rate, flag, progress) {
    const check = checkFor(flag)
    const made = resample(audio, rate, (done) => {
      check()
      progress(done)
    })
    return made === audio ? made : transfer(made, buffersOf(made.channels))
  },
  async keep(id, audio) {
    recordings.set(id, audio)
  },
  async render(pieces, flag) {
    await loadFft()
    const known = (id: string): AudioData => {
      const audio = recordings.get(id)
      if (!audio) throw new Error(`Recording ${id} is not known here`)
      return audio
    }
    const out = pieces.map((piece) => renderPiece(piece, known, checkFor(flag)))
    return transfer(out, out.flatMap(buffersOf))
  },
}

expose(tasks)
