// What a worker can do, as its page sees it.
import type { Transient } from '../../core/analysis/transients'
import type { Material } from '../../core/analysis/material'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { DecodedFile } from '../../core/audio/wav-read'
import type { Piece } from '../../core/render/plan'

/** What is known of a recording after analysis. */
export interface Findings {
  readonly transients: readonly Transient[]
  readonly material: Material
}

/** A decoded file with the hash its recording is known by. */
export interface ReadResult extends DecodedFile {
  readonly id: string
}

/**
 * Shared memory of one cancel flag: 1 in its first entry stops the work at its next check; null where memory
 * cannot be shared.
 */
export type CancelFlag = Int32Array | null

export interface Tasks {
  /** Reads a WAV or AIFF file. @throws InputError's message */
  read(bytes: Uint8Array): Promise<ReadResult>
  /** Hash of audio the browser decoded, after checking that its samples are numbers. */
  identify(audio: AudioData): Promise<string>
  peaks(channels: readonly Float32Array[]): Promise<Peaks[]>
  analyse(audio: AudioData, flag: CancelFlag, progress: (done: number) => void): Promise<Findings>
  resample(
    audio: AudioData,
    rate: number,
    flag: CancelFlag,
    progress: (done: number) => void,
  ): Promise<AudioData>
  /** Makes a recording known, at the session's rate. */
  keep(id: string, audio: AudioData): Promise<void>
  render(piece: Piece, flag: CancelFlag): Promise<Float32Array[]>
}
