// npm run bench fit [transients|alike|starts|places|later|ranking]: fits the networks of the analysis anew from seeds that are not measured, and writes them.
import { writeFileSync } from 'node:fs'
import { bandsFrom, linesFrom, sparseFrom, stillFrom } from '../corpus/corpus'
import { drummingFrom } from '../corpus/drumming'
import { flamsFrom } from '../corpus/flams'
import { otherSampledLines, sampledCorpus, sampledLines } from '../corpus/sampled'
import { canPlaySamples } from '../corpus/sampler'
import { KINDS, type Kind, type Piece } from '../corpus/types'
import { fitNetwork, together, type Example } from './network'
import { alikeExamples, examplesOf } from './candidates'
import { CUTS, cutShort } from './cut-short'
import { laterExamples, singleNotes } from './later'
import { fitRanking, type Ranked } from './ranking'
import { ranking } from './ranking-fit'
import { fitPlaces, type Placed } from './places'
import { placeExamples, startSets } from './starts'
import type { Chooser, Network } from '../../src/core/analysis/judge'

/** A network as a source file. */
function write(path: string, name: string, from: string, n: Network | Chooser): void {
  const type = 'output' in n ? 'Network' : 'Chooser'
  const text = [
    '// Weights made by `npm run bench fit` from seeds of bench/corpus that are not measured; do not edit by hand.',
    `import type { ${type} } from '${from}'`,
    '',
    `export const ${name}: ${type} = ${JSON.stringify(n)}`,
    '',
  ].join('\n')
  writeFileSync(path, text)
  process.stdout.write(`${path} written\n`)
}

type Makers = readonly (() => Piece)[]
const byCode = (seed: number): Makers => [...linesFrom(seed), ...bandsFrom(seed)]
/** Beginnings cut out of every third piece of the first seed. */
const cutOnes = (): Makers =>
  [...byCode(1000), ...sampledCorpus(1000)]
    .filter((_, i) => i % 3 === 0)
    .flatMap((make, i) => {
      let pieces: Piece[] | undefined
      return Array.from({ length: CUTS }, (_, k) => () => (pieces ??= cutShort(make(), i))[k]!)
    })

/** What the transients are fitted to: groups of pieces, each kind in a group weighing alike. */
const GROUPS: readonly { readonly weight: number; readonly makers: () => Makers }[] = [
  { weight: 1000, makers: () => [1000, 2000, 3000].flatMap(byCode) },
  { weight: 400, makers: cutOnes },
  { weight: 300, makers: () => stillFrom(88) },
  { weight: 300, makers: () => [1000, 2000, 3000].flatMap(sparseFrom) },
  { weight: 1500, makers: () => [1000, 2000, 3000, 4000, 5000, 6000].flatMap(sampledCorpus) },
  { weight: 500, makers: () => [1000, 2000, 3000].flatMap(otherSampledLines) },
]

/** Examples of groups; every kind in a group counts alike, however many notes its pieces have. */
const weighed = (groups: typeof GROUPS, of: (p: Piece) => Omit<Example, 'weight'>[]): Example[] =>
  groups.flatMap(({ weight, makers }) => {
    const found = makers().map((make) => {
      const p = make()
      return { kind: p.kind, onsets: p.onsets.length, examples: of(p) }
    })
    const count = (kind: Kind): number => found.reduce((n, f) => n + (f.kind === kind ? f.onsets : 0), 0)
    const weights = new Map(KINDS.map((k) => [k, weight / Math.max(1, count(k))]))
    return found.flatMap((f) => f.examples.map((e) => ({ ...e, weight: weights.get(f.kind)! })))
  })

function fitTransients(): void {
  const examples = weighed(GROUPS, examplesOf)
  // Several that began differently err less together than any of them.
  const network = together([7, 8, 9].map((seed) => fitNetwork(examples, 32, 40, 1e-5, seed)))
  write('src/core/analysis/weights.ts', 'WEIGHTS', './judge', network)
}

/** What the second look at the transients is fitted to: on what the first was fitted to, that is surer than elsewhere. */
const ALIKE_GROUPS: typeof GROUPS = [
  { weight: 1500, makers: () => [7000, 8000, 9000, 10000, 11000].flatMap(sampledCorpus) },
  {
    weight: 1000,
    makers: () => [5000, 7000, 11000].flatMap((seed) => [...byCode(seed), ...sparseFrom(seed)]),
  },
  { weight: 500, makers: () => otherSampledLines(7000) },
]

function fitAlike(): void {
  const examples = weighed(ALIKE_GROUPS, alikeExamples)
  const network = together([7, 8].map((seed) => fitNetwork(examples, 10, 20, 1e-4, seed)))
  write('src/core/analysis/alike-weights.ts', 'ALIKE_WEIGHTS', './judge', network)
}

async function fitBeats(): Promise<void> {
  write('src/core/analysis/beats/ranking-weights.ts', 'RANKING', '../judge', await ranking())
}

const ATTACK_SEEDS = [2000, 3000, 4000, 5000, 6000, 7000]

function fitStarts(): void {
  const setsOf = (makers: Makers): Ranked[] =>
    makers.flatMap((make) => {
      const p = make()
      return startSets({ ...p, swells: p.kind === 'soft' || p.kind === 'sung' })
    })
  const sampled = setsOf(ATTACK_SEEDS.flatMap(sampledCorpus))
  const drumming = setsOf(ATTACK_SEEDS.flatMap(drummingFrom))
  const coded = setsOf([2000, 3000].flatMap(byCode))
  // What is struck several times begins with the first of them.
  const flams = ATTACK_SEEDS.flatMap(flamsFrom).flatMap((make) => {
    const p = make()
    return startSets({ ...p, onsets: p.events.map((e) => e.start), swells: false })
  })
  // Sampled ones twice, or they would be outnumbered.
  const sets = [...sampled, ...sampled, ...drumming, ...coded, ...flams]
  const network = together([7, 8].map((seed) => fitRanking(sets, 10, 20, 1e-4, seed)))
  write('src/core/analysis/start-weights.ts', 'START_WEIGHTS', './judge', network)
}

/** Bands outweigh single lines, of whose soft notes there are many more. */
const weightOf = (p: Piece): number => (p.kind === 'mix' || p.kind === 'chords' ? 3 : 1)

function fitPlacesOfStarts(): void {
  const examplesFrom = (makers: Makers): Placed[] =>
    makers.flatMap((make) => {
      const p = make()
      return placeExamples(p, weightOf(p))
    })
  const flams = ATTACK_SEEDS.flatMap(flamsFrom).flatMap((make) => {
    const p = make()
    return placeExamples({ ...p, onsets: p.events.map((e) => e.start) }, 1)
  })
  const examples = [
    ...examplesFrom([...ATTACK_SEEDS, 8000].flatMap(sampledCorpus)),
    ...examplesFrom(ATTACK_SEEDS.flatMap(drummingFrom)),
    ...examplesFrom([2000, 3000].flatMap(byCode)),
    ...flams,
  ]
  write('src/core/analysis/place-weights.ts', 'PLACE_WEIGHTS', './judge', fitPlaces(examples, 24, 40, 1e-3))
}

function fitLater(): void {
  const examples = ATTACK_SEEDS.flatMap((seed) => [
    ...flamsFrom(seed).flatMap((make) => laterExamples(make())),
    ...[...linesFrom(seed), ...sampledLines(seed)].flatMap((make) => laterExamples(singleNotes(make()))),
  ])
  const network = together([7, 8].map((seed) => fitNetwork(examples, 8, 30, 1e-4, seed)))
  write('src/core/analysis/later-weights.ts', 'LATER_WEIGHTS', './judge', network)
}

const FITTED = {
  transients: fitTransients,
  alike: fitAlike,
  starts: fitStarts,
  places: fitPlacesOfStarts,
  later: fitLater,
  ranking: fitBeats,
}

/** @param asked which of FITTED; all of them where none is named */
export async function fit(asked: readonly string[]): Promise<void> {
  if (!canPlaySamples()) throw new Error('Install fluidsynth and fluid-soundfont-gm first.')
  const known = Object.entries(FITTED)
  for (const [name, run] of known)
    if (!known.some(([n]) => asked.includes(n)) || asked.includes(name)) await run()
}
