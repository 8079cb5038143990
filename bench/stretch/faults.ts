// Looks for what no mean shows: an attack heard twice, lost or beside its place, and clicks, at many lengths and along maps.
import { randomFrom } from '../../src/core/dsp/random'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { toTarget, type TimeMap } from '../../src/core/timing/time-map'
import { secondDifference, sharpestCorner } from '../../tests/support/measure'
import { canPlaySamples } from '../corpus/sampler'
import { jumpy } from './attacks'
import { RATE, row, sampledSignals, SIGNALS, type Signal } from './signals'

const RATIOS = [0.5, 0.6, 0.75, 0.9, 1.1, 1.25, 1.5, 1.75, 2, 3]
const SECONDS = 10
const MS = RATE / 1000
/** Attacks nearer to the one before are left out, ms, as each is looked for by its first milliseconds. */
const APART = 30
const TEMPLATE = Math.round(6 * MS)
/** It is looked for this near to its place, and this far around for a second time, ms. */
const NEAR = 3
const AROUND = 60
/** Around the attack in the recording a little more is looked through, as maps may squeeze it, ms. */
const AROUND_SOURCE = 80
/** The first moments of the attacks beside it are no second time, ms. */
const CLEAR = 8
/** An attack is found where its wave agrees by this; what is not shows in the least wave. */
const FOUND = 0.97
/** What is more than 12 dB softer is no attack heard twice. */
const LOUD = 10 ** -1.2
/** It is one when it is this much more like the attack than anything around that is in the recording. */
const TWICE = 0.2
const ALIKE = 0.6

interface Match {
  readonly at: number
  readonly match: number
}

const energyOf = (x: Float32Array, from: number, to: number): number => {
  let sum = 1e-12
  for (let i = Math.max(0, from); i < Math.min(x.length, to); i++) sum += x[i]! ** 2
  return sum
}

/** Where a template is matched best in [from, to), by correlation, among what is loud enough. */
function bestMatch(template: Float32Array, x: Float32Array, from: number, to: number): Match {
  const own = energyOf(template, 0, template.length)
  let best: Match = { at: from, match: 0 }
  for (let at = Math.max(0, Math.round(from)); at < Math.min(to, x.length - template.length); at++) {
    const power = energyOf(x, at, at + template.length)
    if (power < LOUD * own) continue
    let dot = 0
    for (let i = 0; i < template.length; i++) dot += template[i]! * x[at + i]!
    const match = dot / Math.sqrt(power * own)
    if (match > best.match) best = { at, match }
  }
  return best
}

/** A map that moves every attack by up to so many ms, as a quantizer does. */
function movedBy(most: number, attacks: readonly number[], length: number): TimeMap {
  const random = randomFrom(7)
  const map = [{ source: 0, target: 0 }]
  for (const source of attacks) {
    const target = Math.round(source + (2 * random() - 1) * most * MS)
    if (target - map[map.length - 1]!.target > most * MS) map.push({ source, target })
  }
  return [...map, { source: length, target: length + Math.round(most * MS) }]
}

/** Attacks of a piece, samples. */
const attacksIn = (onsets: readonly number[], length: number): number[] =>
  [...new Set(onsets.map((t) => Math.round(t * RATE)))]
    .sort((a, b) => a - b)
    .filter((a, i, all) => a > 0 && a < length - AROUND * MS && (i === 0 || a - all[i - 1]! > APART * MS))

/** What became of the attacks of a rendering that knows them. */
function told(x: Float32Array, y: Float32Array, attacks: readonly number[], map: TimeMap) {
  const [was, is] = [secondDifference(x), secondDifference(y)]
  const places = attacks.map((a) => Math.round(toTarget(map, a)))
  let [off, least, twice] = [0, 1, 0]
  attacks.forEach((a, k) => {
    const template = was.subarray(a, a + TEMPLATE)
    const t = places[k]!
    const here = bestMatch(template, is, t - NEAR * MS, t + NEAR * MS)
    least = Math.min(least, here.match)
    if (here.match > FOUND) off = Math.max(off, Math.abs(here.at - t) / MS)
    const clear = CLEAR * MS
    const sides = [
      [
        Math.max((places[k - 1] ?? 0) + clear, t - AROUND * MS),
        t - NEAR * MS,
        a - AROUND_SOURCE * MS,
        a - NEAR * MS,
      ],
      [
        t + NEAR * MS,
        Math.min((places[k + 1] ?? y.length) - clear, t + AROUND * MS),
        a + NEAR * MS,
        a + AROUND_SOURCE * MS,
      ],
    ] as const
    for (const [from, to, before, after] of sides) {
      const again = bestMatch(template, is, from, to).match
      if (again > ALIKE && again - bestMatch(template, was, before, after).match > TWICE) twice++
    }
  })
  return { off, least, twice, corner: sharpestCorner(y, RATE, places) / sharpestCorner(x, RATE, attacks) }
}

function judge(signal: Signal, method: MethodName): void {
  const piece = signal.make()
  const channels = piece.channels.map((x) => x.slice(0, SECONDS * RATE))
  const { length } = channels[0]!
  const attacks = attacksIn(piece.onsets, length)
  const even = (ratio: number): [string, TimeMap] => [
    String(ratio),
    [
      { source: 0, target: 0 },
      { source: length, target: Math.round(length * ratio) },
    ],
  ]
  const maps: [string, TimeMap][] = [
    ...RATIOS.map(even),
    ...[1, 2].map((seed): [string, TimeMap] => [`jumpy ${seed}`, jumpy(length, RATE, seed)]),
    ...[12, 24].map((most): [string, TimeMap] => [`moved ${most}`, movedBy(most, attacks, length)]),
  ]
  for (const [name, map] of maps) {
    const sound = { ...DEFAULT_STRETCH, method }
    const y = stretchAudio({ channels, sampleRate: RATE }, map, attacks, sound)[0]!
    const { off, least, twice, corner } = told(channels[0]!, y, attacks, map)
    row([signal.name, method, name, off.toFixed(2), least.toFixed(3), String(twice), corner.toFixed(2)])
  }
}

/** Every signal by the methods meant for it, its attacks given. */
export function faults(): void {
  process.stdout.write(
    '\nFaults, attacks given: farthest from its place, least wave, heard twice, sharpest corner\n',
  )
  row(['signal', 'by', 'map', 'ms', 'wave', 'twice', 'corner'])
  for (const signal of [...SIGNALS, ...(canPlaySamples() ? sampledSignals() : [])])
    for (const method of signal.methods) judge(signal, method)
}
