// Vibrato taken out of a pitch line, so that what is wide is one note and not a trill.
import { semitonesOver } from '../../units'

/** Length of line that a vibrato is looked for in, seconds: two cycles or more. In shorter ones the way from note to note looks like it. */
const LOOK = 0.4
/**
 * Rates, cycles a second. Singers have 5 to 7 (J. Sundberg, "Acoustic and psychoacoustic aspects of vocal vibrato",
 * STL-QPSR 1994).
 */
const RATES = { low: 4.5, high: 8.01, step: 0.25 } as const
/** Less than this each way is one note as it is, semitones. */
const LEAST_DEPTH = 0.45
/** A sine leaves no more than this of the line's power about its slow course; a trill that moves within 20 ms leaves more. */
const LEFT = 0.02
/** Faster than this from frame to frame the line leaps, semitones. */
const LEAP = 0.6

/** A rate: directions by which a line is told to have it, apart from its slow course, and the waves that those stand for. */
interface Rate {
  readonly told: readonly [Float64Array, Float64Array]
  readonly waves: readonly [Float64Array, Float64Array]
}

const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let sum = 0
  for (let i = 0; i < a.length; i++) sum += a[i]! * b[i]!
  return sum
}

/** Takes from x what it has of directions of length 1 that are at right angles (Gram-Schmidt). */
function without(x: Float64Array, directions: readonly Float64Array[]): Float64Array {
  for (const d of directions) {
    const share = dot(x, d)
    for (let i = 0; i < x.length; i++) x[i]! -= share * d[i]!
  }
  return x
}

function normalized(x: Float64Array): Float64Array {
  const size = Math.sqrt(dot(x, x))
  return x.map((v) => v / size)
}

/** Directions of a slow course (level, slope) and of all rates. */
function basesOf(n: number, hop: number) {
  const made = (of: (i: number) => number): Float64Array => Float64Array.from({ length: n }, (_, i) => of(i))
  const level = normalized(made(() => 1))
  const rise = normalized(
    without(
      made((i) => i),
      [level],
    ),
  )
  const slow = [level, rise]
  const rates: Rate[] = []
  for (let rate = RATES.low; rate < RATES.high; rate += RATES.step) {
    const turn = 2 * Math.PI * rate * hop
    const [cosine, sine] = [made((i) => Math.cos(turn * i)), made((i) => Math.sin(turn * i))]
    const first = without(cosine.slice(), slow)
    const size = Math.sqrt(dot(first, first))
    const told = first.map((v) => v / size)
    const wave = cosine.map((v) => v / size)
    const second = without(sine.slice(), [...slow, told])
    const other = Math.sqrt(dot(second, second))
    const shared = dot(sine, told)
    rates.push({
      told: [told, second.map((v) => v / other)],
      waves: [wave, sine.map((v, i) => (v - shared * wave[i]!) / other)],
    })
  }
  return { slow, rates }
}

/**
 * A pitch line without its wide vibrato: what stands in 0.4 s for a sine of 4.5 to 8 cycles a second that
 * goes 45 cents or more to either side is taken from it.
 *
 * @param f0 Hz, 0 where unvoiced; @param hop seconds
 */
export function withoutVibrato(f0: Float32Array, hop: number): Float32Array {
  const n = Math.round(LOOK / hop)
  const out = Float32Array.from(f0)
  if (f0.length < n) return out
  const { slow, rates } = basesOf(n, hop)
  const [taken, weight] = [new Float64Array(f0.length), new Float64Array(f0.length)]
  const line = new Float64Array(n)
  /** Frames since the line was lost or leapt. */
  let whole = 0
  for (let f = 0; f < f0.length; f++) {
    const joined = f > 0 && f0[f - 1]! > 0 && f0[f]! > 0 && Math.abs(semitonesOver(f0[f]!, f0[f - 1]!)) < LEAP
    whole = joined ? whole + 1 : f0[f]! > 0 ? 1 : 0
    if (whole < n) continue
    const from = f + 1 - n
    for (let i = 0; i < n; i++) line[i] = 12 * Math.log2(f0[from + i]!)
    without(line, slow)
    const total = dot(line, line)
    if (total < (n * LEAST_DEPTH ** 2) / 2) continue
    let [best, most, a, b] = [rates[0]!, 0, 0, 0]
    for (const rate of rates) {
      const [re, im] = [dot(line, rate.told[0]), dot(line, rate.told[1])]
      if (re * re + im * im > most) [best, most, a, b] = [rate, re * re + im * im, re, im]
    }
    if (total - most > LEFT * total) continue
    for (let i = 0; i < n; i++) {
      const w = Math.sin((Math.PI * (i + 0.5)) / n) ** 2
      taken[from + i]! += w * (a * best.waves[0][i]! + b * best.waves[1][i]!)
      weight[from + i]! += w
    }
  }
  for (let f = 0; f < f0.length; f++) if (weight[f]! > 0) out[f]! *= 2 ** (-taken[f]! / weight[f]! / 12)
  return out
}
