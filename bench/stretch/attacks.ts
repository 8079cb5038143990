// Where attacks sound at constant ratios and along maps that jump.
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { randomFrom } from '../../src/core/dsp/random'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { toTarget, type TimeMap } from '../../src/core/timing/time-map'
import type { Piece } from '../corpus/types'
import { attacksOf } from './metrics'
import { RATE, row, SIGNALS } from './signals'

/** Where the onsets of a piece sound along a map with the attacks that are found, and with all of them given. */
function alongMap(method: MethodName, piece: Piece, map: TimeMap): void {
  const { channels, sampleRate } = piece
  const places = piece.onsets.map((t) => {
    const source = Math.round(t * sampleRate)
    return { source, target: Math.round(toTarget(map, source)) }
  })
  const along = (attacks: readonly number[]) => {
    const out = stretchAudio({ channels, sampleRate }, map, attacks, { ...DEFAULT_STRETCH, method })[0]!
    return attacksOf(channels[0]!, out, sampleRate, places)
  }
  const a = along(defaultAttacks(measure(channels, sampleRate).transients, sampleRate).map((t) => t.at))
  const given = along([...new Set(places.map((p) => p.source))].sort((p, q) => p - q))
  row([
    piece.name,
    method,
    a.median.toFixed(2),
    a.worst.toFixed(1),
    given.worst.toFixed(1),
    a.correlation.toFixed(4),
    given.least.toFixed(4),
    a.preEcho.toFixed(1),
    a.level.toFixed(1),
    a.rise.toFixed(2),
  ])
}

/** A map whose slope jumps between a quarter and four times at every second or so. */
export function jumpy(length: number, rate: number, seed: number): TimeMap {
  const random = randomFrom(seed)
  const map = [{ source: 0, target: 0 }]
  for (let last = map[0]!; last.source < length; last = map[map.length - 1]!) {
    const source = Math.min(length, last.source + Math.round((0.3 + 1.4 * random()) * rate))
    const ratio = 4 ** (2 * random() - 1)
    map.push({ source, target: last.target + Math.max(1, Math.round((source - last.source) * ratio)) })
  }
  return map
}

/** Attacks at constant ratios and along jumpy maps. */
export function attackMaps(): void {
  process.stdout.write('\nAttacks along maps\n')
  row(['signal', 'by', 'ms', 'worst ms', 'if given', 'wave', 'least given', 'before dB', 'peak dB', 'rise'])
  const all: [string, MethodName[], number[]][] = [
    ['drums', ['hits', 'cuts'], [0.5, 0.75, 1.5, 2]],
    ['guitar', ['chords', 'mix'], [0.75, 1.5]],
    ['piano', ['chords', 'mix'], [0.75, 1.5]],
    ['band', ['mix'], [0.75, 1.5]],
  ]
  for (const [name, methods, ratios] of all) {
    const piece = SIGNALS.find((s) => s.name === name)!.make()
    const length = piece.channels[0]!.length
    const maps: [string, TimeMap][] = ratios.map((r) => [
      `x${r}`,
      [
        { source: 0, target: 0 },
        { source: length, target: Math.round(length * r) },
      ],
    ])
    for (const seed of [1, 2, 3, 4]) maps.push([`jumpy ${seed}`, jumpy(length, RATE, seed)])
    for (const method of methods)
      for (const [what, map] of maps) alongMap(method, { ...piece, name: `${name} ${what}` }, map)
  }
}
