// Which method is suggested, and from where on another.
import { describe, expect, it } from 'vitest'
import { bandPiece, linePiece, type BandPlan } from '../../../bench/corpus/pieces'
import type { Piece } from '../../../bench/corpus/types'
import { materialOf, measure } from './analyse'
import { joinedRegions, regionCuts } from './material'

const PLAN: BandPlan = {
  meter: '4/4',
  groove: null,
  bpm: 104,
  feel: 'steady',
  bars: 6,
  chords: null,
  bass: false,
  tune: null,
}

const suggested = ({ channels, sampleRate }: Pick<Piece, 'channels' | 'sampleRate'>) =>
  materialOf(channels, sampleRate, measure(channels, sampleRate))

/** The first twelve seconds, which tell what follows. */
const opening = ({ channels, sampleRate }: Piece) => ({
  channels: channels.map((x) => x.subarray(0, 12 * sampleRate)),
  sampleRate,
})

describe('the suggestion', () => {
  it.each(['guitar', 'piano', 'organ'] as const)('is Chords for a %s alone', (chords) => {
    for (const seed of [3, 4])
      expect(suggested(bandPiece('chords', { ...PLAN, chords }, seed)).suggested).toBe('chords')
  })

  it.each(['backbeat', 'floor', 'busy'])('is Mix for a piano and a bass with drums (%s)', (groove) => {
    for (const seed of [5, 6])
      expect(
        suggested(bandPiece('band', { ...PLAN, groove, chords: 'piano', bass: true }, seed)).suggested,
      ).toBe('mix')
  })

  it.each([
    ['busy', 6, 3],
    ['floor', 8, 9],
  ])('is no texture for drums with hats all the time (%s, %i bars)', (groove, bars, seed) => {
    const plan = { ...PLAN, groove, bars, chords: 'piano', bass: true } as const
    expect(suggested(bandPiece('band', plan, seed)).suggested).toBe('mix')
  })

  it.each(['bowed', 'flute', 'reed', 'sung', 'bass'] as const)('is Line for a %s line', (voice) => {
    for (const seed of [3, 4])
      expect(suggested(opening(linePiece(voice, voice, seed))).suggested).toBe('line')
  })

  it('is Chords for a tune on stiff strings, and says why', () => {
    for (const seed of [3, 4]) {
      const { suggested: method, reasons } = suggested(opening(linePiece('keys', 'keys', seed)))
      expect(method).toBe('chords')
      expect(reasons[2]).toMatch(
        /^One note sounds at a time, but \d+ % of its partials lie beside the harmonics/,
      )
    }
  })

  it('is Hits for hats with nothing low beside them, and with hum', () => {
    const kit = bandPiece('kit', { ...PLAN, groove: 'shaker' }, 5)
    const x = kit.channels[0]!
    // The second difference leaves the hats.
    const hats = x.map((v, i) => v - 2 * (x[i - 1] ?? 0) + (x[i - 2] ?? 0))
    const humAt = (hz: number, i: number): number => 0.001 * Math.sin((2 * Math.PI * hz * i) / kit.sampleRate)
    const hum = hats.map((v, i) => v + humAt(100, i) + humAt(300, i))
    for (const y of [hats, hum])
      expect(suggested({ channels: [y], sampleRate: kit.sampleRate }).suggested).toBe('hits')
  })
})

describe('regions', () => {
  it('change only for good', () => {
    expect(regionCuts(['hits', 'hits', 'line', 'hits', 'hits'])).toEqual([0, 5])
    expect(regionCuts(['hits', 'hits', 'hits', 'line', 'line', 'line', 'line'])).toEqual([0, 3, 7])
    expect(regionCuts([])).toEqual([0, 0])
  })

  it('do not begin for rests, which have no say', () => {
    const [a, b, rest] = ['hits', 'line', undefined] as const
    expect(regionCuts([a, a, a, rest, rest, rest, rest])).toEqual([0, 7])
    expect(regionCuts([rest, rest, a, a, a, b, rest, b, b])).toEqual([0, 5, 9])
    expect(regionCuts([a, a, a, b, rest, rest, rest])).toEqual([0, 7])
    expect(regionCuts([rest, rest])).toEqual([0, 2])
  })

  it('are one where windows that say different things say the same together', () => {
    const between = (from: number, to: number) =>
      ({ suggested: from < 6 ? 'line' : 'mix', figure: 10 * from + to }) as const
    expect(joinedRegions([0, 3, 6, 9], between)).toEqual([
      { from: 0, to: 6, of: { suggested: 'line', figure: 6 } },
      { from: 6, to: 9, of: { suggested: 'mix', figure: 69 } },
    ])
    expect(joinedRegions([0, 0], between)).toHaveLength(1)
  })

  it('are one for a bass that rests now and then, as a line', () => {
    for (const seed of [1000 + 97 * 5, 770000 + 97 * 5, 770000 + 97 * 6])
      expect(suggested(linePiece('bass', 'bass', seed)).regions.map((r) => r.suggested)).toEqual(['line'])
  })

  it('are one for a guitar that rings out at the end', () => {
    const guitar = bandPiece('guitar', { ...PLAN, chords: 'guitar' }, 6)
    const channels = guitar.channels.map((x) => {
      const longer = new Float32Array(x.length + 12 * guitar.sampleRate)
      longer.set(x)
      for (let i = x.length; i < longer.length; i++)
        longer[i] = 0.003 * Math.sin((2 * Math.PI * 196 * i) / guitar.sampleRate)
      return longer
    })
    const { regions } = suggested({ channels, sampleRate: guitar.sampleRate })
    expect(regions.map((r) => r.suggested)).toEqual(['chords'])
  })

  it('are two where a piano goes on without its drums, and tell where', () => {
    const both = bandPiece('both', { ...PLAN, bars: 9, groove: 'busy', chords: 'piano' }, 7).channels[0]!
    const alone = bandPiece('alone', { ...PLAN, bars: 9, chords: 'piano' }, 8)
    const channels = [Float32Array.from([...both, ...alone.channels[0]!])]
    const { regions } = suggested({ channels, sampleRate: alone.sampleRate })
    expect(regions.map((r) => r.suggested)).toEqual(['mix', 'chords'])
    expect(Math.abs(regions[1]!.start - both.length / alone.sampleRate)).toBeLessThan(4)
    expect(regions[0]!.end).toBe(regions[1]!.start)
  })
})
