// What a worker can do, as its page sees it.
import type { BeatConstraints } from '../../core/analysis/beats/path'
import type { BeatFindings } from '../../core/analysis/beats/track'
import type { Findings, Measured } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import type { OnsetStrength } from '../../core/analysis/onset-strength'
import type { PitchCandidates } from '../../core/analysis/pitch/candidates'
import type { FrameRange } from '../../core/analysis/progress'
import type { AttackStart } from '../../core/analysis/refine'
import type { Found, Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { DecodedFile } from '../../core/audio/wav-read'
import type { SessionContents } from '../../core/formats/session-file'
import type { Piece } from '../../core/render/plan'

/** A decoded file with the hash its recording is known by. */
export interface ReadResult extends DecodedFile {
  readonly id: string
  /** Tempo stated in the file's tags, BPM. */
  readonly taggedBpm: number | null
}

/**
 * Shared memory of one cancel flag: 1 in its first entry stops the work at its next check; null where memory
 * cannot be shared.
 */
export type CancelFlag = Int32Array | null

export interface Tasks {
  /** Does a little of the usual work, so that the first recording does not wait for compilers. */
  warm(): Promise<void>
  /** Reads a WAV or AIFF file, its samples into shared memory where there is any. @throws InputError's message */
  read(file: Blob): Promise<ReadResult>
  /** Hash of audio the browser decoded, after checking that its samples are numbers. */
  identify(audio: AudioData): Promise<string>
  /** Tempo stated in a file's tags, BPM. */
  tags(bytes: Uint8Array): Promise<number | null>
  peaks(channels: readonly Float32Array[]): Promise<Peaks[]>
  /** The frames of an analysis in two ranges, so that workers can share a recording. */
  analysisFrames(
    audio: AudioData,
    ranges: { readonly onset: FrameRange; readonly pitch: FrameRange },
    flag: CancelFlag,
    progress: (done: number) => void,
  ): Promise<{ readonly curve: OnsetStrength; readonly candidates: PitchCandidates }>
  /**
   * @param early told the transients before the rest
   * @param place finds the places of some attacks elsewhere at the same time; nothing where no other worker is free
   */
  judge(
    audio: AudioData,
    curve: OnsetStrength,
    candidates: PitchCandidates,
    flag: CancelFlag,
    early: (transients: readonly Transient[]) => void,
    place: (found: readonly Found[]) => Promise<AttackStart[] | undefined>,
  ): Promise<Measured>
  /** Where some of a recording's attacks start. */
  place(audio: AudioData, found: readonly Found[], flag: CancelFlag): Promise<AttackStart[]>
  conclude(
    audio: AudioData,
    measured: Measured,
    stated: readonly StatedTempo[],
    flag: CancelFlag,
    progress: (done: number) => void,
  ): Promise<Findings>
  /** The beats once more, with what a person has said about them. */
  recount(
    found: Pick<Findings, 'rhythm' | 'chroma' | 'stated'>,
    constraints: BeatConstraints,
  ): Promise<BeatFindings>
  /** A session file. @throws InputError's message */
  writeSession(contents: SessionContents, flag: CancelFlag, progress: (done: number) => void): Promise<Blob>
  /** What a session file holds, its recordings in shared memory where there is any. @throws InputError's message */
  readSession(file: Blob, flag: CancelFlag, progress: (done: number) => void): Promise<SessionContents>
  /** Channels as blobs, for keeping. */
  pack(channels: readonly Float32Array[]): Promise<Blob[]>
  resample(
    audio: AudioData,
    rate: number,
    flag: CancelFlag,
    progress: (done: number) => void,
  ): Promise<AudioData>
  /** Makes a recording known, at the session's rate. */
  keep(id: string, audio: AudioData): Promise<void>
  /** Pieces in one go, each with the channels of all its recordings. */
  render(pieces: readonly Piece[], flag: CancelFlag): Promise<Float32Array[][]>
}
