// Frames of a recording, which workers can make in pieces: onset strength and pitch candidates.
import { joinOnsets, onsetFrames, onsetStrength, type OnsetStrength } from './onset-strength'
import { joinCandidates, pitchCandidates, pitchFrames, type PitchCandidates } from './pitch/candidates'
import { part, splitFrames, type FrameRange, type Progress } from './progress'
import { channelSource, pieceSources } from './source'
import { knowSurvey, type Survey } from './survey'

/** A piece of a recording's frames, and what is measured in it. */
export interface FramesPiece {
  readonly onset: FrameRange
  readonly pitch: FrameRange
  /** Seconds. */
  readonly length: number
}
export interface MeasuredFrames {
  readonly curve: OnsetStrength
  readonly candidates: PitchCandidates
}

/** All frames of a recording in so many pieces of about one size. */
export function framePieces(
  channels: readonly Float32Array[],
  sampleRate: number,
  count: number,
): FramesPiece[] {
  const pitches = splitFrames(pitchFrames(channelSource(channels, sampleRate, true)), count)
  const length = (channels[0]?.length ?? 0) / sampleRate / count
  return splitFrames(onsetFrames(channels, sampleRate), count).map((onset, i) => ({
    onset,
    pitch: pitches[i]!,
    length,
  }))
}

/** The frames of one piece. @param seen the recording's survey */
export function framesIn(
  channels: readonly Float32Array[],
  sampleRate: number,
  piece: FramesPiece,
  seen: Survey,
  progress?: Progress,
): MeasuredFrames {
  knowSurvey(channels, seen)
  const { all, main } = pieceSources(channels, sampleRate, piece.length, seen)
  const curve = onsetStrength(channels, sampleRate, part(progress, 0, 0.6), piece.onset, all)
  return { curve, candidates: pitchCandidates(main, part(progress, 0.6, 1), piece.pitch) }
}

/** The frames of all pieces in their order as those of the whole. */
export const joinFrames = (parts: readonly MeasuredFrames[]): MeasuredFrames => ({
  curve: joinOnsets(parts.map((p) => p.curve)),
  candidates: joinCandidates(parts.map((p) => p.candidates)),
})
