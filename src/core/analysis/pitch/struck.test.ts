// Strings struck while others ring: the pitch line follows the new one, and the attack is where it is.
import { beforeAll, describe, expect, it } from 'vitest'
import { addPartials } from '../../../../bench/corpus/partials'
import { median } from '../../../../tests/support/measure'
import { noise } from '../../../../tests/support/signals'
import { loadFft } from '../../dsp/fft'
import { defaultAttacks, measure } from '../analyse'
import { attackStart } from '../refine'
import { findNotes } from './notes'
import type { Pitch } from './track'

const RATE = 44100
const midiToHz = (midi: number): number => 440 * 2 ** ((midi - 69) / 12)
beforeAll(() => loadFft())

interface Pluck {
  readonly at: number
  readonly midi: number
  readonly level: number
  /** From here on the string is damped, and dies away with this time constant; seconds. */
  readonly until?: number
}
const DAMPING = 0.15

/** Fall of a partial's level with its number (a power), and a stiff string's stretch. */
interface Timbre {
  readonly level: number
  readonly stiff: number
}
const BRIGHT: Timbre = { level: 1, stiff: 0 }
/** Stiffness: B in f_h = h f_0 sqrt(1 + B h^2), H. Fletcher, JASA 36(1), 1964. */
const ROUND: Timbre = { level: 1.5, stiff: 0.0001 }

/** Plucked strings that ring on: ten partials, the upper ones dying sooner. */
function strings(plucks: readonly Pluck[], seconds: number, attack = 0.001, timbre = BRIGHT): Float32Array {
  const out = noise(seconds, RATE, 0.0003, 5)
  const { level: fall, stiff } = timbre
  for (const { at, midi, level, until = Infinity } of plucks) {
    const first = Math.ceil(at * RATE)
    const since = first / RATE - at
    const partials = Array.from({ length: 10 }, (_, k) => {
      const h = k + 1
      const hz = h * Math.sqrt(1 + stiff * h * h) * midiToHz(midi)
      const phase = 2 * Math.PI * hz * since + (stiff ? h * h + at : 0)
      const decay = 1 / (0.6 + 0.5 * h)
      return { hz, phase, decay, amplitude: (level / h ** fall) * Math.exp(-since / decay) }
    })
    const string = new Float64Array(out.length)
    addPartials(string, first, out.length, partials, RATE)
    for (let i = first; i < out.length; i++) {
      const t = i / RATE - at
      const damped = Math.exp(-Math.max(0, i / RATE - until) / DAMPING)
      out[i]! += string[i]! * damped * (t < attack ? t / attack : 1)
    }
  }
  return out
}

describe('a string struck over one that rings', () => {
  const scale = [60, 62, 59, 64, 55, 57, 60, 67]
  const plucks = scale.map((midi, i) => ({
    at: 0.2 + 0.45 * i,
    midi,
    level: i % 3 === 1 ? 0.16 : 0.25,
    until: 0.65 + 0.45 * i,
  }))

  /** How far a line lies from a note soon after its attack, semitones: median. */
  const off = (line: Pitch, p: Pluck): number => {
    const frames = Array.from({ length: 20 }, (_, k) => Math.round((p.at + 0.03 + 0.006 * k) / line.hop))
    const away = frames.map((f) =>
      line.f0[f] ? Math.abs(12 * Math.log2(line.f0[f]! / midiToHz(p.midi))) : 99,
    )
    return median(away)
  }

  it('is the pitch of the line from its attack on, where both together have another period', () => {
    const { pitch, held } = measure([strings(plucks, 4)], RATE)
    for (const p of plucks) expect(off(pitch, p)).toBeLessThan(0.3)
    // Without listening to what the attacks add, some are lost.
    expect(plucks.filter((p) => off(held, p) > 0.5).length).toBeGreaterThan(1)
  })

  it('is so where the one before is not damped and frames hear only their beats', () => {
    const pairs = [
      [66, 63],
      [66, 65],
      [61, 57],
      [68, 64],
    ]
    const second = pairs.map(([, midi], i) => ({
      at: 0.8 + 1.5 * i,
      midi: midi!,
      level: 0.2,
      until: 1.4 + 1.5 * i,
    }))
    const first = second.map((p, i) => ({ ...p, at: p.at - 0.5, midi: pairs[i]![0]! }))
    const { pitch, held } = measure([strings([...first, ...second], 6.5, 0.001, ROUND)], RATE)
    for (const p of second) expect(off(pitch, p)).toBeLessThan(0.2)
    expect(second.filter((p) => off(held, p) > 0.5).length).toBe(3)
  })
})

describe('a tune on strings that ring on', () => {
  const GAP = 0.25
  const tune = [66, 63, 61, 65, 68, 64, 66, 61, 57, 59, 64, 63].map((midi, i) => ({
    at: 0.2 + GAP * i,
    midi,
    level: 0.2,
    until: 0.2 + GAP * (i + 1),
  }))
  it('has all its notes and no others; by its beats alone it has half of them', () => {
    const { pitch, held, transients } = measure([strings(tune, 4, 0.001, ROUND)], RATE)
    const attacks = defaultAttacks(transients, RATE).map((t) => ({ time: t.at / RATE, strength: t.strength }))
    const right = (line: Pitch): { found: number; of: number } => {
      const notes = findNotes(line, attacks)
      const isThere = (p: Pluck): boolean =>
        notes.some((n) => Math.abs(n.midi - p.midi) < 0.5 && Math.abs(n.start - p.at) < 0.05)
      return { found: tune.filter(isThere).length, of: notes.length }
    }
    expect(right(pitch)).toEqual({ found: tune.length, of: tune.length })
    expect(right(held).found).toBeLessThan(9)
  })
})

describe('the start of an attack', () => {
  it.each([
    [31, 0.012],
    [28, 0.008],
    [40, 0.006],
  ])('of a low note (MIDI %i) that begins softly is no later period of it', (midi, attack) => {
    const at = 0.5
    const x = strings([{ at, midi, level: 0.3 }], 1, attack)
    for (const guess of [-0.008, 0, 0.008]) {
      const found = attackStart([x], Math.round((at + guess) * RATE), RATE).at / RATE
      expect(Math.abs(found - at)).toBeLessThan(0.004)
    }
  })

  it('of a soft high note is found under a loud low one that beats', () => {
    const low = [
      { at: 0, midi: 36, level: 0.5 },
      { at: 0, midi: 36.4, level: 0.5 },
    ]
    const at = 0.6
    const x = strings([...low, { at, midi: 84, level: 0.05 }], 1)
    for (const guess of [-0.012, 0, 0.012])
      expect(Math.abs(attackStart([x], Math.round((at + guess) * RATE), RATE).at / RATE - at)).toBeLessThan(
        0.002,
      )
  })
})
