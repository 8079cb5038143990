// The figures that an ear would ask for, on the demo session: detection, and the attacks after quantize.
import { SAMPLE_RATE, slackWater, type DemoTrack } from '../demo/slack-water'
import { locate, median, onsetScore, percentile } from '../tests/support/measure'
import { suggestMethod } from '../src/core/analysis/material'
import { DEFAULT_TRANSIENTS, selectTransients } from '../src/core/analysis/select'
import { findTransients } from '../src/core/analysis/transients'
import { mixRange, piecesIn } from '../src/core/render/mix'
import { renderPiece } from '../src/core/render/piece'
import { mapOf, planSession } from '../src/core/render/plan'
import { newSession, newTrack } from '../src/core/session/create'
import { addTrack, setTempo } from '../src/core/session/edits'
import { findClip } from '../src/core/session/find'
import { placeNotes } from '../src/core/session/pin-edits'
import { proposeQuantize } from '../src/core/timing/quantize'
import { beats, samples } from '../src/core/units'

const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

/** Quantizes one demo track at 100 % and returns the distance of every true attack from where it was meant, ms. */
function quantized(t: DemoTrack, division: 8 | 16): { before: number[]; after: number[] } {
  const audio = { sampleRate: SAMPLE_RATE, channels: t.channels }
  const candidates = findTransients(t.channels, SAMPLE_RATE)
  const attacks = selectTransients(
    candidates,
    DEFAULT_TRANSIENTS.sensitivity,
    DEFAULT_TRANSIENTS.minGap,
    SAMPLE_RATE,
  )
  const recording = {
    id: 'r',
    name: t.name,
    sampleRate: SAMPLE_RATE,
    channels: t.channels.length,
    length: samples(t.channels[0]!.length),
    coding: '',
  }
  const { suggested } = suggestMethod(t.channels, attacks, SAMPLE_RATE)
  const track = newTrack('t', recording, beats((-0.5 * 92) / 60), {
    method: suggested,
    fill: 'mirror',
    tail: 100,
  })
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
  const plan = planSession(placeNotes(session, 't-1', moves, [], 'quantize'), () => candidates, {
    quality: 'fine',
  })
  const cache = new Map(piecesIn(plan, plan.start, plan.end).map((p) => [p.key, renderPiece(p, () => audio)]))
  const out = mixRange(plan, (p) => cache.get(p.key), plan.start, plan.end)![0]!
  const after = t.onsets.map((o) => {
    const meant = Math.round(o.intended * SAMPLE_RATE)
    const found = locate(t.channels[0]!, Math.round(o.time * SAMPLE_RATE), 530, out, meant, 5000)
    return (1000 * Math.abs(found.at - meant)) / SAMPLE_RATE
  })
  return { before: t.onsets.map((o) => 1000 * Math.abs(o.time - o.intended)), after }
}

export function benchQuality(): void {
  for (const [i, t] of slackWater().entries()) {
    const found = selectTransients(
      findTransients(t.channels, SAMPLE_RATE),
      DEFAULT_TRANSIENTS.sensitivity,
      DEFAULT_TRANSIENTS.minGap,
      SAMPLE_RATE,
    )
    const times = found.map((f) => f.at / SAMPLE_RATE)
    const truth = t.onsets.map((o) => o.time)
    const wide = onsetScore(truth, times, 0.05)
    const close = onsetScore(truth, times, 0.01)
    const error = median(close.errors.map((e) => Math.abs(1000 * e)))
    print(
      `${t.name}: onset F at ±50 ms, ±10 ms; median error`,
      `${wide.f.toFixed(3)}  ${close.f.toFixed(3)}  ${error.toFixed(2)} ms`,
    )
    const { before, after } = quantized(t, i === 0 ? 16 : 8)
    const pair = (v: number[]): string => `${median(v).toFixed(2)} / ${percentile(v, 0.95).toFixed(2)} ms`
    print(`${t.name}: |attack - grid| median / 95th, before → after`, `${pair(before)} → ${pair(after)}`)
  }
}
