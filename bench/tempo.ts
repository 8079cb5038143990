// npm run bench tempo: the Tempo desk's figures: the jig both ways, a steady song, MIDI maps, a tempo change in a large session.
import midi from '@tonejs/midi'
import { attacksIn, jigSession, rendered } from '../tests/support/jig-session'
import { percentile } from '../tests/support/measure'
import { struck } from '../tests/support/signals'
import { JIG_RATE } from '../demo/jig'
import { drumStroke } from '../demo/instruments/drum'
import { addAt } from '../demo/instruments/room'
import { analyse, defaultAttacks } from '../src/core/analysis/analyse'
import { writeSmf } from '../src/core/formats/smf'
import { beatToSeconds } from '../src/core/music/tempo-map'
import { clickBeats } from '../src/core/render/click'
import { mixRange, piecesIn } from '../src/core/render/mix'
import { renderPiece } from '../src/core/render/piece'
import { mapOf, planSession } from '../src/core/render/plan'
import { DEFAULT_METHOD, newSession, newTrack } from '../src/core/session/create'
import { addTrack, setTempo } from '../src/core/session/edits'
import { findClip } from '../src/core/session/find'
import { moveGridToMusic, moveMusicToGrid } from '../src/core/session/agree-edits'
import { setTempoIn } from '../src/core/session/tempo-edits'
import { AS_FOUND, countBeats, sourceOfBeat } from '../src/core/timing/count'
import { toTarget } from '../src/core/timing/time-map'
import { randomFrom } from '../src/core/dsp/random'
import { beats, samples } from '../src/core/units'

const say = (text: string): void => void process.stdout.write(`${text}\n`)
const spread = (errors: readonly number[]): string =>
  `median ${percentile(errors, 0.5).toFixed(1)} ms, 95th ${percentile(errors, 0.95).toFixed(1)} ms`

function theJig(): void {
  const j = jigSession()
  const grid = moveGridToMusic(j.session, 't0-1', j.counted, { by: 'beats', smoothing: 0 })
  const { clip, recording } = findClip(grid, 't0-1')!
  const map = mapOf(grid, clip, recording)
  const clicks = clickBeats(grid.tempo, grid.meter, JIG_RATE, 0, 100 * JIG_RATE)
  const errors = j.truth.beats.map((b) => {
    const at = toTarget(map, b.time * JIG_RATE)
    return (1000 * Math.min(...clicks.map((c) => Math.abs(c.at - at)))) / JIG_RATE
  })
  say(`jig, grid to music: click from the true beat ${spread(errors)} (bars 8, 25)`)
  const attacks = (id: string): number[] =>
    defaultAttacks(j.found[Number(id[1])]!.transients, JIG_RATE).map((t) => t.at)
  const moved = moveMusicToGrid(
    setTempo(j.session, 165),
    't0-1',
    j.counted,
    ['t0-1'],
    { by: 'beats' },
    attacks,
  )
  const eighth = 60 / 330
  const { onsets } = j.truth.tracks[0]!
  const start = findClip(moved, 't0-1')!
  const first = toTarget(mapOf(moved, start.clip, start.recording), onsets[0]!.time * JIG_RATE) / JIG_RATE
  const origin = Math.round(first / (6 * eighth)) * 6 * eighth
  const wanted = onsets.map((o) => origin + 2 * o.beat * eighth)
  const found = attacksIn(
    j,
    0,
    rendered(j, moved, 0),
    wanted.map((t) => t * JIG_RATE),
  )
  const off = found.flatMap((t, i) => (Number.isNaN(t) ? [] : [1000 * Math.abs(t - wanted[i]!)]))
  say(`jig, music to grid by beats at 110: attacks from the grid ${spread(off)} (bars 8, 20)`)
}

/** Four minutes at an odd tempo, played with 4 ms of looseness. */
function steadySong(): void {
  const bpm = 117.43
  const rate = 44100
  const random = randomFrom(5)
  const count = Math.floor((240 * bpm) / 60)
  const x = new Float32Array(Math.round((0.7 + (count * 60) / bpm + 1) * rate))
  for (let k = 0; k < count; k++) {
    const at = 0.7 + (k * 60) / bpm + 0.004 * (random() + random() - 1)
    const kind = k % 4 === 0 ? 'low' : k % 2 ? 'slap' : 'edge'
    addAt(x, drumStroke(kind, rate, 100 + k), Math.round(at * rate), 0.3 + 0.2 * random())
    if (k % 2) addAt(x, drumStroke('edge', rate, 900 + k), Math.round((at + 30 / bpm) * rate), 0.15)
  }
  const f = analyse([x], rate)
  const c = countBeats(
    { beats: f.beats, beatsPerBar: f.meter.beatsPerBar, beatUnit: f.meter.beatUnit },
    AS_FOUND,
    { from: 0, to: x.length },
    rate,
  )
  const k = Math.round((sourceOfBeat(c, 0) / rate - 0.7) / (60 / bpm))
  const last = count - 1 - k
  const off = 1000 * (sourceOfBeat(c, last) / rate - (0.7 + ((count - 1) * 60) / bpm))
  say(
    `four minutes at ${bpm}: found ${f.tempo.bpm.toFixed(3)} (bar ±0.02), last beat ${off.toFixed(1)} ms from the true one (bar 5)`,
  )
}

function midiMaps(): void {
  const random = randomFrom(9)
  const tempo = Array.from({ length: 200 }, (_, i) => ({ beat: beats(10 * i), bpm: 60 + 120 * random() }))
  const { header } = new midi.Midi(writeSmf(tempo, [{ bar: 0, numerator: 4, denominator: 4 }], 2000, 'bench'))
  let worst = 0
  for (let b = 0; b <= 2000; b++)
    worst = Math.max(worst, Math.abs(header.ticksToSeconds(b * header.ppq) - beatToSeconds(tempo, b)))
  say(
    `MIDI map, 500 bars, 200 tempos, read by another parser: within ${(1000 * worst).toFixed(3)} ms (bar 0.5)`,
  )
}

/** From a tempo change to the first half second of the mix, sixteen tracks of five minutes, all of them following. */
function tempoChange(): void {
  const rate = 44100
  const length = 300
  // Half a minute again and again, every track from another second of it.
  const short = struck(20, 30, rate, 1)
  const part = short.channels[0]!
  const sources = Array.from({ length: 16 }, (_, i) => {
    const x = new Float32Array(length * rate)
    for (let n = 0; n < x.length; n++) x[n] = part[(n + i * rate) % part.length]!
    const attacks: number[] = []
    for (let round = 0; round <= length / 30; round++)
      for (const a of short.attacks) {
        const at = a + round * part.length - i * rate
        if (at >= 0 && at < x.length) attacks.push(at)
      }
    return { channels: [x], attacks }
  })
  let session = newSession('s', 's', rate)
  sources.forEach((_, i) => {
    const recording = {
      id: `r${i}`,
      name: 'r',
      sampleRate: rate,
      channels: 1,
      length: samples(length * rate),
      coding: '',
    }
    const method = { ...DEFAULT_METHOD, method: i % 2 ? ('chords' as const) : ('hits' as const) }
    session = addTrack(session, recording, newTrack(`t${i}`, recording, beats(0), method))
  })
  const steady = countBeats(
    { beats: [], beatsPerBar: 4, beatUnit: 4 },
    { ...AS_FOUND, held: 120, one: samples(0) },
    { from: 0, to: length * rate },
    rate,
  )
  const ids = session.tracks.map((t) => t.clips[0]!.id)
  const following = moveMusicToGrid(session, ids[0]!, steady, ids, { by: 'bars' })
  const transients = new Map(
    sources.map((s, i) => [`r${i}`, s.attacks.map((at) => ({ at: samples(at), strength: 0.9 }))]),
  )
  const findings = (id: string) => transients.get(id) as never
  planSession(following, findings, { quality: 'fine' })
  const start = performance.now()
  const changed = setTempoIn(following, 200, null, 116, 'stay in seconds')
  const plan = planSession(changed, findings, { quality: 'fine' })
  const planned = performance.now() - start
  const from = Math.round(beatToSeconds(changed.tempo, 200) * rate)
  const pieces = piecesIn(plan, from, from + rate / 8)
  const cache = new Map(
    pieces.map((p) => [
      p.key,
      renderPiece(p, (id) => ({
        sampleRate: rate,
        channels: sources[Number(id.slice(1))]!.channels,
      })),
    ]),
  )
  mixRange(plan, (p) => cache.get(p.key), from, from + rate / 8)
  const whole = performance.now() - start
  say(
    `tempo change, 16 tracks of 5 minutes: planned ${planned.toFixed(0)} ms, first 125 ms mixed after ${whole.toFixed(0)} ms on one core (${pieces.length} pieces; bar 300)`,
  )
}

export function benchTempo(): void {
  theJig()
  steadySong()
  midiMaps()
  tempoChange()
}
