// The worker: decodes, analyses and renders with the core.
import { expose, transfer } from 'comlink'
import { suggestMethod } from '../../core/analysis/material'
import { DEFAULT_TRANSIENTS, selectTransients } from '../../core/analysis/select'
import { findTransients } from '../../core/analysis/transients'
import { isAiff, readAiff } from '../../core/audio/aiff'
import type { AudioData } from '../../core/audio/buffer'
import { buildPeaks } from '../../core/audio/peaks'
import { resample } from '../../core/audio/resample'
import { readWav, requireFinite } from '../../core/audio/wav-read'
import { loadFft } from '../../core/dsp/fft'
import { Cancelled } from '../../core/errors'
import { hashAudio } from '../../core/render/hash'
import { renderPiece } from '../../core/render/piece'
import type { CancelFlag, Tasks } from './tasks'

const recordings = new Map<string, AudioData>()

const buffersOf = (channels: readonly Float32Array[]): ArrayBuffer[] =>
  channels.map((c) => c.buffer).filter((b): b is ArrayBuffer => b instanceof ArrayBuffer)

const checkFor = (flag: CancelFlag) => (): void => {
  if (flag && Atomics.load(flag, 0) !== 0) throw new Cancelled()
}

const tasks: Tasks = {
  async read(bytes) {
    const file = isAiff(bytes) ? readAiff(bytes) : readWav(bytes)
    const id = hashAudio(file.audio.channels, file.audio.sampleRate)
    return transfer({ ...file, id }, buffersOf(file.audio.channels))
  },
  async identify(audio) {
    requireFinite(audio.channels)
    return hashAudio(audio.channels, audio.sampleRate)
  },
  async peaks(channels) {
    const all = channels.map(buildPeaks)
    return transfer(
      all,
      all.flatMap((p) => buffersOf(p.levels.map((l) => l.values))),
    )
  },
  async analyse(audio, flag, progress) {
    await loadFft()
    const check = checkFor(flag)
    let told = -1
    const transients = findTransients(audio.channels, audio.sampleRate, (done) => {
      check()
      if (done - told > 0.02) progress((told = done))
    })
    const { sensitivity, minGap } = DEFAULT_TRANSIENTS
    const attacks = selectTransients(transients, sensitivity, minGap, audio.sampleRate)
    check()
    return { transients, material: suggestMethod(audio.channels, attacks, audio.sampleRate) }
  },
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
  async render(piece, flag) {
    await loadFft()
    const known = (id: string): AudioData => {
      const audio = recordings.get(id)
      if (!audio) throw new Error(`Recording ${id} is not known here`)
      return audio
    }
    const out = renderPiece(piece, known, checkFor(flag))
    return transfer(out, buffersOf(out))
  },
}

expose(tasks)
