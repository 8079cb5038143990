// The worker: decodes, analyses and renders with the core.
import { expose, transfer } from 'comlink'
import { conclude, eventsIn, finished, heardIn } from '../../core/analysis/analyse'
import { findBeats } from '../../core/analysis/beats/track'
import { withParts } from '../../core/analysis/events'
import { framesIn } from '../../core/analysis/frames'
import type { Progress } from '../../core/analysis/progress'
import { blockEnergies, knowSurvey } from '../../core/analysis/survey'
import type { AudioData } from '../../core/audio/buffer'
import { decodeFrames, frameBytes, requireFinite } from '../../core/audio/pcm'
import { buildPeaks, peaksOfPiece } from '../../core/audio/peaks'
import { resample } from '../../core/audio/resample'
import { loadFft } from '../../core/dsp/fft'
import { Cancelled } from '../../core/errors'
import { readSessionFile, writeSessionFile } from '../../core/formats/session-file'
import { tempoInTags } from '../../core/formats/tags'
import { hashChannel } from '../../core/hash'
import { renderPiece } from '../../core/render/piece'
import { packed } from '../storage/pack'
import { claimNext, doFree, type Claims } from './claims'
import { sharedMemory } from './shared'
import { shareOf, together } from './sharing'
import type { CancelFlag, Decoded, Surveyed, Tasks } from './tasks'
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

/** A recording's audio, its survey known here. */
function recalled({ audio, seen }: Surveyed): AudioData {
  knowSurvey(audio.channels, seen)
  return audio
}

/** Does what is free, or all where nothing is claimed. */
const freeOf = <T>(
  count: number,
  claims: Claims | null,
  who: number,
  work: (piece: number) => T,
): Promise<Map<number, T>> => doFree(claims ?? new Int32Array(count), who, work)

const tasks: Tasks = {
  async warm(round, flag) {
    await loadFft()
    await warmUp(round, checkFor(flag))
  },
  async decode(file, layout, into, pieces, copied, claims, who) {
    const channels = into ?? Array.from({ length: layout.channels }, () => new Float32Array(layout.frames))
    const free = claims ?? new Int32Array(pieces.length)
    const next = () => {
      const piece = claimNext(free, who)
      if (piece === undefined) return undefined
      const [from, to] = [pieces[piece]!.from, pieces[piece]!.to].map(
        (f) => layout.at + f * frameBytes(layout),
      )
      return { piece, bytes: file.slice(from, to).arrayBuffer() }
    }
    const made = new Map<number, Decoded>()
    for (let now = next(); now;) {
      const { piece } = now
      const { from, to } = pieces[piece]!
      const bytes = new Uint8Array(await now.bytes)
      // The next one is fetched while this one is decoded.
      now = next()
      const out = channels.map((c) => c.subarray(from, to))
      decodeFrames(layout, bytes, out, from)
      made.set(piece, {
        peaks: out.map(peaksOfPiece),
        channels: into ? null : channels,
        bytes: copied ? new Blob([bytes]) : null,
      })
    }
    const peaks = [...made.values()].flatMap((m) => m.peaks.flat())
    return transfer(made, buffersOf([...peaks, ...(into ? [] : channels)]))
  },
  hashes: (channels, claims, who) =>
    freeOf(channels.length, claims, who, (channel) => hashChannel(channels[channel]!)),
  async checkFinite(channels) {
    requireFinite(channels)
  },
  tags: (bytes) => tempoInTags(bytes),
  async peaks(channels) {
    const all = channels.map(buildPeaks)
    return transfer(
      all,
      all.flatMap((p) => buffersOf(p.levels.map((l) => l.values))),
    )
  },
  async survey({ channels, sampleRate }, pieces, claims, who, flag) {
    await loadFft()
    return freeOf(pieces.length, claims, who, (piece) =>
      blockEnergies(channels, sampleRate, pieces[piece]!, checkFor(flag)),
    )
  },
  async analysisFrames({ audio, seen }, pieces, claims, who, flag, progress) {
    await loadFft()
    const told = sparing(flag, progress)
    let done = 0
    return freeOf(pieces.length, claims, who, (piece) => {
      const made = framesIn(audio.channels, audio.sampleRate, pieces[piece]!, seen, (share) =>
        told((done + share) / pieces.length),
      )
      done++
      return made
    })
  },
  async judge(known, { curve, candidates }, flag, early, help) {
    await loadFft()
    const audio = recalled(known)
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
  async conclude(known, measured, stated, flag, progress) {
    await loadFft()
    const { channels, sampleRate } = recalled(known)
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
