// The jig as a session with its findings, and what becomes of it at the Tempo desk; for tests and benches.
import { jig, JIG_RATE } from '../../demo/jig'
import { analyse, type Findings } from '../../src/core/analysis/analyse'
import { mixRange, piecesIn } from '../../src/core/render/mix'
import { renderPiece } from '../../src/core/render/piece'
import { planSession } from '../../src/core/render/plan'
import { DEFAULT_METHOD, newSession, newTrack } from '../../src/core/session/create'
import { addTrack } from '../../src/core/session/edits'
import type { Session } from '../../src/core/session/types'
import { AS_FOUND, countBeats, type Counted } from '../../src/core/timing/count'
import { beats, samples } from '../../src/core/units'
import { locate } from './measure'

export interface JigSession {
  readonly session: Session
  /** Of the drum, which is the guide. */
  readonly found: readonly Findings[]
  /** The drum's count as the analysis finds it. */
  readonly counted: Counted
  readonly truth: ReturnType<typeof jig>
}

/** The jig brought in: two tracks at 120 BPM, the drum counted in eighths. */
export function jigSession(): JigSession {
  const truth = jig()
  let session = newSession('s', truth.name, JIG_RATE)
  truth.tracks.forEach((t, i) => {
    const recording = {
      id: `r${i}`,
      name: t.name,
      sampleRate: JIG_RATE,
      channels: 1,
      length: samples(t.channels[0]!.length),
      coding: '',
    }
    session = addTrack(
      session,
      recording,
      newTrack(`t${i}`, recording, beats(0), { ...DEFAULT_METHOD, method: t.method }),
    )
  })
  const found = truth.tracks.slice(0, 1).map((t) => analyse(t.channels, JIG_RATE))
  const drum = found[0]!
  const counted = countBeats(
    { beats: drum.beats, beatsPerBar: drum.meter.beatsPerBar, beatUnit: drum.meter.beatUnit },
    AS_FOUND,
    { from: 0, to: truth.tracks[0]!.channels[0]!.length },
    JIG_RATE,
  )
  return { session, found, counted, truth }
}

/** What a track of a session sounds like. @returns mono samples from session second 0 on */
export function rendered(j: JigSession, session: Session, track: number): Float32Array {
  const audio = (id: string) => ({
    sampleRate: JIG_RATE,
    channels: j.truth.tracks[Number(id.slice(1))]!.channels,
  })
  const plan = planSession(session, (id) => j.found[Number(id.slice(1))]!.transients, {
    quality: 'fine',
    tracks: [`t${track}`],
  })
  const cache = new Map(
    piecesIn(plan, plan.start, plan.end).map((p) => [p.key, renderPiece(p, (id) => audio(id))]),
  )
  return mixRange(plan, (p) => cache.get(p.key), 0, plan.end)![0]!
}

/**
 * Where the true attacks of a track sound in an output, found by correlation.
 *
 * @param expected where each is looked for, samples
 * @returns seconds, or NaN where the attack is not recognized
 */
export function attacksIn(
  j: JigSession,
  track: number,
  out: Float32Array,
  expected: readonly number[],
): number[] {
  const { channels, onsets } = j.truth.tracks[track]!
  return onsets.map((o, i) => {
    const { at, correlation } = locate(
      channels[0]!,
      Math.round(o.time * JIG_RATE),
      Math.round(0.012 * JIG_RATE),
      out,
      Math.round(expected[i]!),
      3000,
    )
    return correlation > 0.6 ? at / JIG_RATE : NaN
  })
}
