// The ranking of meters: what it is fitted to, gathered by several processes at once, and its networks.
// As a program of its own it is one of those processes: node --import tsx bench/fit/ranking-fit.ts [sets|networks].
import { spawn } from 'node:child_process'
import { availableParallelism } from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import { canReadCompositions, compositions } from '../corpus/compositions'
import { dancesFrom } from '../corpus/dances'
import { bandsFrom } from '../corpus/corpus'
import { evenLoopsFrom, offbeatsFrom } from '../corpus/one-drum'
import { restsFrom } from '../corpus/rests'
import { sampledCorpus } from '../corpus/sampled'
import { playedWith } from '../corpus/sampler'
import { songsFrom } from '../corpus/songs'
import { stemsFrom } from '../corpus/stems'
import { canReadStyles, stylesFrom } from '../corpus/styles'
import type { Piece } from '../corpus/types'
import { Kept, wordOf } from './kept'
import { together } from './network'
import { fitRanking, type Ranked } from './ranking'
import { rankedOf } from './ranking-sets'
import type { Network } from '../../src/core/analysis/judge'
import { loadFft } from '../../src/core/dsp/fft'
import { hashText } from '../../src/core/hash'

/** Hidden units of the networks, how often each sees everything, and how they are begun. */
const HIDDEN = 28
const EPOCHS = 28
const DECAY = 5e-3
const BEGUN = [7, 8, 9, 10]
/** Memory that a network's fit takes, MB. */
const ROOM = 7000

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

/** The recordings of one seed of one kind. */
interface Batch {
  readonly name: string
  /** What there is little of counts twice: single tracks, and what nobody here made up. */
  readonly times: 1 | 2
  make(): Ranked[]
}

const ROOT = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../..')
const sourceOf = (file: string): string => path.join(ROOT, file)
const SETS = sourceOf('bench/fit/ranking-sets.ts')

type Making = (seed: number) => readonly (() => Piece | readonly Piece[])[]

/** @param file of bench/corpus that makes the kind */
function batchesOf(kind: string, file: string, times: 1 | 2, seeds: readonly number[], of: Making): Batch[] {
  const word = wordOf([sourceOf(`bench/corpus/${file}.ts`), SETS])
  return seeds.map((seed) => ({
    name: `${kind}-${seed}-${word}`,
    times,
    make: () => of(seed).flatMap((make) => [make()].flat().flatMap((p) => (p.beats ? [rankedOf(p)] : []))),
  }))
}

/** What one sound set plays. */
const playedBy = (sounds: (typeof PLAYED)[number]['sounds'], batches: readonly Batch[]): Batch[] =>
  batches.map((b) => ({ ...b, name: `${sounds}-${b.name}`, make: () => playedWith(sounds, b.make) }))

/** All of them; hundreds of files are read for their names. */
const allBatches = (): readonly Batch[] => [
  ...batchesOf('bands', 'corpus', 1, [...thousands(2, 10), ...thousands(73, 102)], bandsFrom),
  ...batchesOf('rests', 'rests', 1, [...thousands(2, 6), ...thousands(13, 22)], restsFrom),
  ...batchesOf('dances', 'dances', 1, [...thousands(2, 8), ...thousands(13, 18)], dancesFrom),
  ...batchesOf('drum', 'one-drum', 1, thousands(2, 7), (seed) => [
    ...offbeatsFrom(seed),
    ...evenLoopsFrom(seed),
  ]),
  ...PLAYED.flatMap(({ sounds, bands, songs }) =>
    playedBy(sounds, [
      ...batchesOf('sampled', 'sampled', 1, bands, sampledCorpus),
      ...batchesOf('songs', 'songs', 1, songs, songsFrom),
    ]),
  ),
  ...PLAYED.flatMap(({ sounds, scores, stems, styles }) =>
    playedBy(sounds, [
      ...batchesOf('scores', 'compositions', 2, scores, (seed) => compositions('fitted', seed)),
      ...batchesOf('stems', 'stems', 2, stems, stemsFrom),
      ...batchesOf('styles', 'styles', 2, styles, (seed) => stylesFrom('fitted', seed)),
    ]),
  ),
]

const keptSets = (): Kept<Ranked[]> => new Kept(path.join(ROOT, 'build/fit/sets'))
/** Networks belong to all that they are fitted to. */
const keptNetworks = (batches: readonly Batch[]): Kept<Network> => {
  const fitted = JSON.stringify([HIDDEN, EPOCHS, DECAY, batches.map((b) => [b.name, b.times])])
  return new Kept(path.join(ROOT, 'build/fit', `networks-${hashText(fitted)}`))
}

function gather(batches: readonly Batch[]): void {
  const kept = keptSets()
  for (const [i, { name, make }] of batches.entries())
    if (!kept.has(name) && kept.make(name, make))
      process.stdout.write(`${i + 1} of ${batches.length}: ${name}\n`)
}

function fitNetworks(batches: readonly Batch[]): void {
  const [sets, networks] = [keptSets(), keptNetworks(batches)]
  let all: Ranked[] | undefined
  for (const seed of BEGUN) {
    if (networks.has(`${seed}`)) continue
    networks.make(`${seed}`, () => {
      if (!all) {
        const read = batches.map((b) => ({ ...b, sets: sets.get(b.name) }))
        all = [...read, ...read.filter((b) => b.times === 2)].flatMap((b) => b.sets)
      }
      return fitRanking(all, HIDDEN, EPOCHS, DECAY, seed)
    })
  }
}

const STEPS = { sets: gather, networks: fitNetworks }

/** Does a step in processes of its own. */
async function inProcesses(step: keyof typeof STEPS, count: number): Promise<void> {
  const program = fileURLToPath(import.meta.url)
  const args = [`--max-old-space-size=${ROOM}`, '--import', 'tsx', program, step]
  await Promise.all(
    Array.from(
      { length: count },
      () =>
        new Promise<void>((done, failed) => {
          const child = spawn(process.execPath, args, { cwd: ROOT, stdio: 'inherit' })
          child.on('error', failed)
          child.on('close', (code) =>
            code === 0 ? done() : failed(new Error(`The ${step} of the ranking could not be made.`)),
          )
        }),
    ),
  )
}

/**
 * Fits the ranking, with what earlier calls have left in build/fit.
 *
 * @throws Error when scores, styles or a sound set are not installed
 */
export async function ranking(): Promise<Network> {
  if (!canReadCompositions('fitted') || !canReadStyles())
    throw new Error('Install simutrans-data, freedoom and mma first.')
  // Hours before the last of them would be missed.
  for (const { sounds } of PLAYED) playedWith(sounds, () => undefined)
  const networks = keptNetworks(allBatches())
  keptSets().release()
  networks.release()
  const count = availableParallelism()
  await inProcesses('sets', count)
  await inProcesses('networks', Math.min(2, count))
  // Several here too: what one of them is sure of by chance, the others are not.
  return together(BEGUN.map((seed) => networks.get(`${seed}`)))
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  await loadFft()
  STEPS[process.argv[2] as keyof typeof STEPS](allBatches())
}
