// npm run bench fit [transients|alike|starts|places|later|ranking]: fits the networks of the analysis anew from seeds that are not measured, and writes them.
import { writeFileSync } from 'node:fs'
import { bandsFrom, linesFrom, sparseFrom, stillFrom } from '../corpus/corpus'
import { canReadCompositions, compositions } from '../corpus/compositions'
import { dancesFrom } from '../corpus/dances'
import { flamsFrom } from '../corpus/flams'
import { otherSampledLines, sampledCorpus, sampledLines } from '../corpus/sampled'
import { evenLoopsFrom, offbeatsFrom } from '../corpus/one-drum'
import { restsFrom } from '../corpus/rests'
import { songsFrom } from '../corpus/songs'
import { stemsFrom } from '../corpus/stems'
import { canReadStyles, stylesFrom } from '../corpus/styles'
import { canPlaySamples, playedWith } from '../corpus/sampler'
import { KINDS, type Kind, type Piece } from '../corpus/types'
import { fitNetwork, together, type Example } from './network'
import { alikeExamples, examplesOf } from './candidates'
import { CUTS, cutShort } from './cut-short'
import { laterExamples, singleNotes } from './later'
import { fitRanking, type Ranked } from './ranking'
import { fitPlaces, type Placed } from './places'
import { placeExamples, startSets } from './starts'
import { onsetScore } from '../../tests/support/measure'
import { measure } from '../../src/core/analysis/analyse'
import { hypotheses, type Hypotheses } from '../../src/core/analysis/beats/hypotheses'
import { rhythmOf } from '../../src/core/analysis/beats/rhythm'
import { chroma } from '../../src/core/analysis/harmony/chroma'
import type { Chooser, Network } from '../../src/core/analysis/judge'
import { mainSource } from '../../src/core/analysis/source'

/** Hidden units of the networks that rank, how often each sees everything, and how they are begun. */
const HIDDEN = 28
const EPOCHS = 28
const BEGUN = [7, 8, 9, 10]
const thousands = (from: number, to: number): number[] =>
  Array.from({ length: to - from + 1 }, (_, i) => 1000 * (from + i))
/** Seeds of both bands and songs, by the sound set that plays them. */
const BY_FLUID = [...thousands(2, 10), ...thousands(25, 30), ...thousands(40, 48), ...thousands(103, 106)]
const BY_CSOUND = [...thousands(31, 39), ...thousands(51, 54), ...thousands(59, 61), ...thousands(107, 109)]
const BY_MUSESCORE = [...thousands(55, 58), ...thousands(62, 64), ...thousands(111, 113)]
const BY_OPL3 = [...thousands(65, 74), ...thousands(115, 117)]
/** Seeds of what the ranking is fitted to, by the sound set that plays it: a sound is no evidence of a meter. */
const PLAYED: readonly ({ readonly sounds: Parameters<typeof playedWith>[0] } & Record<
  'bands' | 'songs' | 'scores' | 'stems' | 'styles',
  readonly number[]
>)[] = [
  {
    sounds: 'fluid-soundfont-gm',
    bands: BY_FLUID,
    songs: BY_FLUID,
    scores: [1],
    stems: [...thousands(2, 11), ...thousands(16, 18)],
    styles: thousands(1, 4),
  },
  {
    sounds: 'csound-soundfont',
    bands: [...thousands(2, 7), ...thousands(13, 18), ...BY_CSOUND],
    songs: [...thousands(2, 4), ...thousands(13, 17), ...BY_CSOUND],
    scores: [1],
    stems: [...thousands(2, 5), ...thousands(19, 21)],
    styles: thousands(1, 3),
  },
  {
    sounds: 'musescore-general-soundfont-lossless',
    bands: [...thousands(2, 7), ...BY_MUSESCORE],
    songs: [...thousands(2, 4), ...BY_MUSESCORE],
    scores: [],
    stems: [...thousands(6, 9), ...thousands(22, 24)],
    styles: thousands(1, 2),
  },
  {
    sounds: 'opl3-soundfont',
    bands: BY_OPL3,
    songs: BY_OPL3,
    scores: [],
    stems: [...thousands(12, 15), ...thousands(25, 27)],
    styles: [1000, 3000],
  },
]

/** 1 where a hypothesis has the beats, the meter and the bars right. */
function rightOnes(p: Piece, h: Hypotheses): number[] {
  const levels = h.levels.map((l) => {
    const { f } = onsetScore(p.beats!, l.beats, 0.07)
    return f > 0.8 && Math.abs(l.beats.length / p.beats!.length - 1) < 0.25
  })
  return h.list.map(({ level, beatsPerBar, phase }) => {
    if (!levels[level] || beatsPerBar !== p.meter!.beatsPerBar) return 0
    const ones = h.levels[level]!.beats.filter((_, i) => i >= phase && (i - phase) % beatsPerBar === 0)
    return onsetScore(p.downbeats!, ones, 0.07).f > 0.75 ? 1 : 0
  })
}

function rankedOf(p: Piece): Ranked {
  const { curve, transients } = measure(p.channels, p.sampleRate)
  const harmony = chroma(mainSource(p.channels, p.sampleRate))
  const rhythm = rhythmOf(curve, transients, p.sampleRate, p.channels[0]!.length)
  const h = hypotheses(rhythm, harmony)
  return { features: h.list.map((x) => x.features), right: rightOnes(p, h) }
}

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

function fitBeats(): void {
  if (!canReadCompositions('fitted') || !canReadStyles())
    throw new Error('Install simutrans-data, freedoom and mma first.')
  // Hours before the last of them would be missed.
  for (const { sounds } of PLAYED) playedWith(sounds, () => undefined)
  const setsOf = (makers: readonly (() => Piece | readonly Piece[])[]): Ranked[] =>
    makers.flatMap((make) => [make()].flat().flatMap((p) => (p.beats ? [rankedOf(p)] : [])))
  // What there is little of counts twice: single tracks, and what nobody here made up.
  const twice = [
    ...PLAYED.flatMap(({ sounds, scores, stems, styles }) =>
      playedWith(sounds, () => [
        ...setsOf(scores.flatMap((seed) => compositions('fitted', seed))),
        ...setsOf(stems.flatMap(stemsFrom)),
        ...setsOf(styles.flatMap((seed) => stylesFrom('fitted', seed))),
      ]),
    ),
  ]
  const sets = [
    ...setsOf([...thousands(2, 10), ...thousands(73, 102)].flatMap(bandsFrom)),
    ...setsOf([...thousands(2, 6), ...thousands(13, 22)].flatMap(restsFrom)),
    ...setsOf([...thousands(2, 8), ...thousands(13, 18)].flatMap(dancesFrom)),
    ...setsOf(thousands(2, 7).flatMap((seed) => [...offbeatsFrom(seed), ...evenLoopsFrom(seed)])),
    ...PLAYED.flatMap(({ sounds, bands, songs }) =>
      playedWith(sounds, () => setsOf([...bands.flatMap(sampledCorpus), ...songs.flatMap(songsFrom)])),
    ),
    ...twice,
    ...twice,
  ]
  // Several here too: what one of them is sure of by chance, the others are not.
  const fits = BEGUN.map((seed) => fitRanking(sets, HIDDEN, EPOCHS, 5e-3, seed))
  const network = together(fits)
  write('src/core/analysis/beats/ranking-weights.ts', 'RANKING', '../judge', network)
}

const ATTACK_SEEDS = [2000, 3000, 4000, 5000, 6000, 7000]

function fitStarts(): void {
  const setsOf = (makers: Makers): Ranked[] =>
    makers.flatMap((make) => {
      const p = make()
      return startSets({ ...p, swells: p.kind === 'soft' || p.kind === 'sung' })
    })
  const sampled = setsOf(ATTACK_SEEDS.flatMap(sampledCorpus))
  const coded = setsOf([2000, 3000].flatMap(byCode))
  // What is struck several times begins with the first of them.
  const flams = ATTACK_SEEDS.flatMap(flamsFrom).flatMap((make) => {
    const p = make()
    return startSets({ ...p, onsets: p.events.map((e) => e.start), swells: false })
  })
  // Sampled ones twice, or they would be outnumbered.
  const sets = [...sampled, ...sampled, ...coded, ...flams]
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
export function fit(asked: readonly string[]): void {
  if (!canPlaySamples()) throw new Error('Install fluidsynth and fluid-soundfont-gm first.')
  const known = Object.entries(FITTED)
  for (const [name, run] of known) if (!known.some(([n]) => asked.includes(n)) || asked.includes(name)) run()
}
