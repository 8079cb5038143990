// Quantizes a demo track at 100 % and finds its attacks in the output, for tests and benches.
import { SAMPLE_RATE, type DemoTrack } from '../../demo/slack-water'
import { defaultAttacks, materialOf, measure } from '../../src/core/analysis/analyse'
import { mixRange, piecesIn } from '../../src/core/render/mix'
import { renderPiece } from '../../src/core/render/piece'
import { mapOf, planSession } from '../../src/core/render/plan'
import { DEFAULT_METHOD, newSession, newTrack } from '../../src/core/session/create'
import { addTrack, setTempo } from '../../src/core/session/edits'
import { findClip } from '../../src/core/session/find'
import { placeNotes } from '../../src/core/session/pin-edits'
import { proposeQuantize } from '../../src/core/timing/quantize'
import { beats, samples } from '../../src/core/units'
import { locate } from './measure'

export interface Quantized {
  /** Samples of the output, and of the recording. */
  readonly length: number
  readonly recorded: number
  /** Distance of every true attack from where it was meant, ms, and how well the attack was recognized (0-1). */
  readonly deviations: readonly number[]
  readonly correlations: readonly number[]
}

/** 12 ms of an attack are looked for, up to 5,000 samples from where it was meant. */
const PATTERN = Math.round(0.012 * SAMPLE_RATE)
const REACH = 5000

/**
 * Quantizes a demo track with the method that is suggested for it.
 *
 * The attacks are found by correlating the recording around its true onsets with the output: neither pins nor
 * detection have a say in it.
 */
export function quantizedDemo(t: DemoTrack, division: 8 | 16): Quantized {
  const audio = { sampleRate: SAMPLE_RATE, channels: t.channels }
  const measured = measure(t.channels, SAMPLE_RATE)
  const candidates = measured.transients
  const attacks = defaultAttacks(candidates, SAMPLE_RATE)
  const recorded = t.channels[0]!.length
  const recording = {
    id: 'r',
    name: t.name,
    sampleRate: SAMPLE_RATE,
    channels: t.channels.length,
    length: samples(recorded),
    coding: '',
  }
  const suggested = materialOf(t.channels, SAMPLE_RATE, measured).suggested
  const track = newTrack('t', recording, beats((-0.5 * 92) / 60), { ...DEFAULT_METHOD, method: suggested })
  const session = setTempo(addTrack(newSession('s', 's', SAMPLE_RATE), recording, track), 92)
  const { clip } = findClip(session, 't-1')!
  const moves = proposeQuantize(
    attacks.map((a) => ({ source: a.at, held: false })),
    { grid: { division, kind: 'straight', swing: 0 }, strength: 100, leaveAlone: 0, largestMove: Infinity },
    {
      tempo: session.tempo,
      meter: session.meter,
      sampleRate: SAMPLE_RATE,
      recordingRate: SAMPLE_RATE,
      map: mapOf(session, clip, recording),
    },
  )
  const placed = placeNotes(session, 't-1', moves, [], 'quantize')
  const plan = planSession(placed, () => candidates, { quality: 'fine' })
  const cache = new Map(piecesIn(plan, plan.start, plan.end).map((p) => [p.key, renderPiece(p, () => audio)]))
  const out = mixRange(plan, (p) => cache.get(p.key), plan.start, plan.end)![0]!
  const found = t.onsets.map((o) => {
    const meant = Math.round(o.intended * SAMPLE_RATE)
    const { at, correlation } = locate(
      t.channels[0]!,
      Math.round(o.time * SAMPLE_RATE),
      PATTERN,
      out,
      meant,
      REACH,
    )
    return { deviation: (1000 * Math.abs(at - meant)) / SAMPLE_RATE, correlation }
  })
  return {
    length: out.length,
    recorded,
    deviations: found.map((f) => f.deviation),
    correlations: found.map((f) => f.correlation),
  }
}
