// What a worker can do, as its page sees it.
import type { ProxyMarked, Remote } from 'comlink'
import type { BeatConstraints } from '../../core/analysis/beats/path'
import type { BeatFindings } from '../../core/analysis/beats/track'
import type { Findings, Measured } from '../../core/analysis/analyse'
import type { StatedTempo } from '../../core/analysis/beats/stated'
import type { FramesPiece, MeasuredFrames } from '../../core/analysis/frames'
import type { FrameRange } from '../../core/analysis/progress'
import type { LaterAttack } from '../../core/analysis/later-attacks'
import type { AttackStart } from '../../core/analysis/refine'
import type { Survey } from '../../core/analysis/survey'
import type { Found, Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import type { Peaks } from '../../core/audio/peaks'
import type { Layout } from '../../core/audio/pcm'
import type { SessionContents } from '../../core/formats/session-file'
import type { ChannelHash } from '../../core/hash'
import type { Piece } from '../../core/render/plan'
import type { Claims } from './claims'

/**
 * Shared memory of one cancel flag: 1 in its first entry stops the work at its next check; null where memory
 * cannot be shared.
 */
export type CancelFlag = Int32Array | null

/** A recording with what one look at it tells. */
export interface Surveyed {
  readonly audio: AudioData
  readonly seen: Survey
}

/** What was made of a list, by piece: one thing for each entry of the piece. */
export type Pieces<T> = ReadonlyMap<number, readonly T[]>

/** Work on every attack of a recording, or on every event, that workers share. */
export interface Shared {
  readonly places: { readonly of: Found; readonly made: AttackStart }
  readonly later: { readonly of: Transient; readonly made: readonly LaterAttack[] }
}
export type SharedWork = keyof Shared

/** Other workers that share such work. */
export interface Help {
  /** Lets every other worker take pieces as soon as it is free. */
  begin<W extends SharedWork>(work: W, list: readonly Shared[W]['of'][], claims: Claims): void
  /** What one of them has made, once it is through. */
  from<W extends SharedWork>(work: W, who: number): Promise<Pieces<Shared[W]['made']>>
}

/** What is made of a piece of a file. */
export interface Decoded {
  /** Of each channel the levels of its piece. */
  readonly peaks: readonly (readonly Float32Array[])[]
  /** The channels, where workers share no memory. */
  readonly channels: readonly Float32Array[] | null
  /** Its bytes, where they are asked for. */
  readonly bytes: Blob | null
}

export interface Tasks {
  /**
   * Does a little of the usual work, so that the first recording does not wait for compilers.
   *
   * @param round from 0 on; @param flag stops it when there is real work
   */
  warm(round: number, flag: CancelFlag): Promise<void>
  /**
   * Decodes as many pieces of an uncompressed file as are free.
   *
   * @param into memory for all channels that workers share; without it the file is one piece, which is returned
   * @param pieces ranges of frames; @param copied keeps their bytes, too; @param who claims them
   * @returns of each piece its peaks, by channel and level
   * @throws InputError's message
   */
  decode(
    file: Blob,
    layout: Layout,
    into: readonly Float32Array[] | null,
    pieces: readonly FrameRange[],
    copied: boolean,
    claims: Claims | null,
    who: number,
  ): Promise<ReadonlyMap<number, Decoded>>
  /** Hashes of as many channels as are free. @param who claims them */
  hashes(
    channels: readonly Float32Array[],
    claims: Claims | null,
    who: number,
  ): Promise<ReadonlyMap<number, ChannelHash>>
  /** @throws InputError's message when a sample is no number */
  checkFinite(channels: readonly Float32Array[]): Promise<void>
  /** Tempo stated in a file's tags, BPM. */
  tags(bytes: Uint8Array): Promise<number | null>
  peaks(channels: readonly Float32Array[]): Promise<Peaks[]>
  /** Energies for the survey of a recording, of as many pieces as are free. @param who claims them; all without claims */
  survey(
    audio: AudioData,
    pieces: readonly FrameRange[],
    claims: Claims | null,
    who: number,
    flag: CancelFlag,
  ): Promise<ReadonlyMap<number, Float64Array>>
  /**
   * Frames of an analysis, as many pieces of them as are free.
   *
   * @param who claims them; all without claims; @param progress told the share of all that is done here
   */
  analysisFrames(
    known: Surveyed,
    pieces: readonly FramesPiece[],
    claims: Claims | null,
    who: number,
    flag: CancelFlag,
    progress: (done: number) => void,
  ): Promise<ReadonlyMap<number, MeasuredFrames>>
  /**
   * @param early told the transients before the rest
   * @param help where other workers can read the recording where it lies
   */
  judge(
    known: Surveyed,
    frames: MeasuredFrames,
    flag: CancelFlag,
    early: (transients: readonly Transient[]) => void,
    help: Remote<Help & ProxyMarked> | null,
  ): Promise<Measured>
  /** A share of such work, as many pieces of it as are free. @param who claims them */
  share<W extends SharedWork>(
    work: W,
    audio: AudioData,
    list: readonly Shared[W]['of'][],
    claims: Claims,
    who: number,
    flag: CancelFlag,
  ): Promise<Pieces<Shared[W]['made']>>
  conclude(
    known: Surveyed,
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
