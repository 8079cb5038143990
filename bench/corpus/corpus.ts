// The two halves of the corpus: one to develop on, one that is only measured.
import { chance } from './chance'
import { bandPiece, choirPiece, linePiece, stillPiece, type BandPlan } from './pieces'
import { DANCES, GROOVES, type Feel } from './score'
import type { Piece } from './types'

export const HALVES = ['develop', 'held'] as const
export type Half = (typeof HALVES)[number]

const SEEDS: Record<Half, number> = { develop: 1000, held: 770000 }

/** Makers of single-note lines and choirs. */
export function linesFrom(base: number): (() => Piece)[] {
  const makers: (() => Piece)[] = []
  let count = 0
  const seed = (): number => base + 97 * ++count
  for (const voice of ['string', 'bass', 'keys', 'bowed', 'flute', 'reed', 'sung'] as const)
    for (const dirt of [
      undefined,
      undefined,
      'room',
      'noise',
      ...(voice === 'sung' ? ['band' as const, undefined] : []),
    ] as const) {
      const s = seed()
      makers.push(() => linePiece(`${voice} ${dirt ?? 'clean'} ${s - base}`, voice, s, dirt))
    }
  for (let i = 0; i < 3; i++) {
    const s = seed()
    makers.push(() => choirPiece(`choir ${i}`, s))
  }
  return makers
}

interface Planned {
  readonly name: string
  readonly plan: BandPlan
  readonly seed: number
}

const makerOf =
  ({ name, plan, seed }: Planned) =>
  (): Piece =>
    bandPiece(name, plan, seed)

/** Makers of bands, parts of bands and loops; and of the loops among them. */
export const bandsFrom = (base: number): (() => Piece)[] => plansFrom(base).map(makerOf)
export const loopsFrom = (base: number): (() => Piece)[] =>
  plansFrom(base)
    .filter(({ plan }) => plan.loop)
    .map(makerOf)

function plansFrom(base: number): Planned[] {
  const random = chance(base)
  const plans: Planned[] = []
  let count = 100
  const band = (name: string, plan: BandPlan): void =>
    void plans.push({ name, plan, seed: base + 97 * ++count })
  const feels: Feel[] = ['steady', 'steady', 'drift', 'loose', 'rubato', 'accelerando']
  const none = { chords: null, bass: false, tune: null } as const
  for (const meter of Object.keys(GROOVES))
    for (const groove of Object.keys(GROOVES[meter]!)) {
      const bpm =
        meter === '6/8'
          ? random.between(140, 360)
          : meter === '3/4'
            ? random.between(85, 170)
            : random.between(72, 168)
      const alone = random.often(0.35)
      const feel = random.pick(feels)
      band(`${meter} ${groove} ${feel}${alone ? ' drums' : ''}`, {
        meter,
        groove,
        bpm,
        feel,
        ...(alone
          ? none
          : {
              chords: random.pick(['guitar', 'piano', 'organ'] as const),
              bass: random.often(0.8),
              tune: random.pick(['keys', 'string', null] as const),
            }),
        pickup: !alone && random.often(0.25) ? 1 : 0,
        intro: random.often(0.12) ? 3 : 0,
      })
    }
  for (const meter of ['4/4', '4/4', '3/4', '6/8'])
    for (const voice of ['guitar', 'piano'] as const) {
      const feel = random.pick(feels)
      band(`${meter} ${voice} ${feel}`, {
        meter,
        groove: null,
        bpm: meter === '6/8' ? random.between(140, 330) : random.between(75, 140),
        feel,
        chords: voice,
        bass: false,
        tune: voice === 'piano' && random.often(0.6) ? 'keys' : null,
      })
    }
  for (let i = 0; i < 12; i++) {
    const meter = random.pick(['4/4', '4/4', '4/4', '3/4'])
    const groove = random.pick(Object.keys(GROOVES[meter]!))
    const alone = i % 2 === 0
    band(`loop ${i} ${meter} ${groove}`, {
      meter,
      groove,
      bpm: random.between(78, 160),
      feel: 'steady',
      loop: true,
      bars: random.pick([1, 2, 4]),
      chords: alone ? null : 'guitar',
      bass: !alone,
      tune: null,
    })
  }
  // Their own dice, so that what was there before them stays as it was.
  const dice = chance(base + 5)
  for (const meter of Object.keys(DANCES))
    for (const groove of Object.keys(DANCES[meter]!))
      for (const tune of [null, 'string', 'keys'] as const) {
        const bpm =
          meter === '6/8'
            ? dice.between(270, 360)
            : meter === '3/4'
              ? dice.between(110, 200)
              : dice.between(90, 140)
        const feel = dice.pick(feels)
        band(`${meter} ${groove} ${feel}${tune ? ` ${tune}` : ' drums'}`, {
          meter,
          groove,
          bpm,
          feel,
          chords: tune === 'keys' ? 'guitar' : null,
          bass: tune === 'keys',
          tune,
        })
      }
  return plans
}

/** Makers of slow recordings in which little happens, whose beats are nobody's truth. */
export function sparseFrom(base: number): (() => Piece)[] {
  const random = chance(base + 9)
  return (['guitar', 'piano'] as const).flatMap((voice, v) =>
    Array.from({ length: 5 }, (_, i) => {
      const bpm = random.between(36, 110)
      const plan = {
        meter: '4/4',
        groove: null,
        bpm,
        feel: random.pick(['steady', 'loose'] as const),
        bars: 4,
      } as const
      return () => {
        const p = bandPiece(
          `few ${voice} ${i}`,
          { ...plan, chords: voice, bass: false, tune: null },
          base + 3 * i + v,
        )
        const { name, kind, loop, sampleRate, channels, onsets } = p
        return { name, kind, loop, sampleRate, channels, onsets }
      }
    }),
  )
}

/** Makers of a half's pieces, so that one can be made at a time. */
export const corpus = (half: Half): (() => Piece)[] =>
  [linesFrom, bandsFrom, sparseFrom].flatMap((from) => from(SEEDS[half]))

/** Makers of recordings in which nothing begins. */
export const stillFrom = (base: number): (() => Piece)[] =>
  (['noise', 'pink', 'wind', 'vibrato', 'tremolo', 'hum'] as const).flatMap((kind, i) =>
    [0, 1].map((k) => () => stillPiece(`${kind} ${k}`, kind, base + 7 * i + k)),
  )
