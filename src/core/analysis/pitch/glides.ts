// The way from one note to a joined one: pitch measured over two periods only, between two that are known.
import { semitonesOver } from '../../units'
import type { Source } from '../source'
import type { PitchCandidates } from './candidates'
import type { Pitch } from './track'

const NEPER = 10 / Math.LN10 // dB of a natural-log power
/** Notes are joined where the pitch moves by this much from frame to frame, semitones. */
const LEAP = 0.8
/** Or where it is lost for no longer than this, seconds. */
const LONGEST_GAP = 0.06
/** The sound does not fall by more than this there, dB, and stays this periodic for half of the time. */
const GAP_DIP = 9
const GAP_APERIODICITY = 0.5
/** Farther apart, the two are no notes of one line, semitones. */
const WIDEST = 13
/** Frames on either side may have been measured over both notes, seconds. */
const BLUR = 0.03
/** Looked for this far above and below the two notes, semitones. */
const ROOM = 1.5
/** Shortest stretch that is compared, seconds. */
const LEAST_WINDOW = 0.006
/** Candidates a frame. */
const MOST = 6
/** Cost of a wave that does not repeat at all, and of a step of a semitone between neighbouring frames. */
const UNLIKE = 12
const STEP = 1.2

const apart = (a: number, b: number): number => Math.abs(semitonesOver(a, b))

/** Frames whose pitch is to be measured again, between the pitch before and after them. */
interface Zone {
  readonly from: number
  readonly to: number
  readonly before: number
  readonly after: number
}

/** Whether the sound goes on over unvoiced frames. */
function goesOn(c: PitchCandidates, from: number, to: number): boolean {
  const floor = Math.min(c.level[from - 1]!, c.level[to]!) - GAP_DIP / NEPER
  let periodic = 0
  for (let f = from; f < to; f++) {
    if (c.level[f]! < floor) return false
    if (c.aperiodicity[f]! < GAP_APERIODICITY) periodic++
  }
  return 2 * periodic >= to - from
}

/** Stretches around every leap and every short gap in which the sound goes on. */
function zonesOf(f0: Float32Array, c: PitchCandidates): Zone[] {
  const longest = Math.round(LONGEST_GAP / c.hop)
  const blur = Math.round(BLUR / c.hop)
  const zones: Zone[] = []
  for (let f = 1; f < f0.length; f++) {
    if (f0[f - 1] === 0) continue
    let to = f
    while (to < f0.length && f0[to] === 0 && to - f <= longest) to++
    const joined =
      to === f ? apart(f0[f]!, f0[f - 1]!) >= LEAP : to < f0.length && to - f <= longest && goesOn(c, f, to)
    if (!joined) continue
    let from = f
    while (from > 1 && f - from < blur && f0[from - 2]! > 0) from--
    let end = to
    while (end < f0.length - 1 && end - to < blur && f0[end + 1]! > 0) end++
    const last = zones[zones.length - 1]
    const zone = { from, to: end, before: f0[from - 1]!, after: f0[end]! }
    if (last && last.to > from) zones[zones.length - 1] = { ...zone, from: last.from, before: last.before }
    else zones.push(zone)
    f = to
  }
  return zones
}

/**
 * Peaks of the normalized square difference function of two periods around a place: hertz and height.
 *
 * Source: P. McLeod & G. Wyvill, "A smarter way to find pitch", ICMC 2005 (n'(t) = 2 r'(t) / m'(t), symmetric about
 * the middle).
 */
function peaksAt(
  source: Source,
  middle: number,
  shortest: number,
  longest: number,
  buffer: Float32Array,
): { hz: number; height: number }[] {
  const width = Math.max(2 * longest, Math.round(LEAST_WINDOW * source.rate))
  const x = buffer.subarray(0, width + longest + 1)
  const start = middle - ((width + longest) >> 1)
  source.copy(0, start, x)
  const count = longest - shortest + 1
  // Energies of all stretches from one running sum.
  const energy = new Float64Array(x.length + 1)
  for (let j = 0; j < x.length; j++) energy[j + 1] = energy[j]! + x[j]! * x[j]!
  const n = new Float32Array(count)
  for (let k = 0; k < count; k++) {
    const lag = shortest + k
    const first = (longest - lag) >> 1
    const last = first + width
    let r = 0
    for (let j = first; j < last; j++) r += x[j]! * x[j + lag]!
    const m = energy[last]! - energy[first]! + energy[last + lag]! - energy[first + lag]!
    n[k] = (2 * r) / (m + 1e-12)
  }
  const peaks: { hz: number; height: number }[] = []
  for (let k = 1; k < count - 1; k++) {
    const [a, v, b] = [n[k - 1]!, n[k]!, n[k + 1]!]
    if (v < a || v <= b || v < 0.3) continue
    const shift = (0.5 * (a - b)) / (a - 2 * v + b || -1)
    peaks.push({ hz: source.rate / (shortest + k + shift), height: v })
  }
  return peaks.sort((p, q) => q.height - p.height).slice(0, MOST)
}

/** The best way through a zone's peaks, from the pitch before to the pitch after it. */
function through(zone: Zone, source: Source, hop: number, buffer: Float32Array): number[] {
  const low = Math.min(zone.before, zone.after) * 2 ** (-ROOM / 12)
  const high = Math.max(zone.before, zone.after) * 2 ** (ROOM / 12)
  const shortest = Math.max(2, Math.floor(source.rate / high) - 1)
  const longest = Math.ceil(source.rate / low) + 1
  let states = [{ hz: zone.before, cost: 0, way: [] as number[] }]
  for (let f = zone.from; f < zone.to; f++) {
    const middle = Math.round(f * hop * source.rate)
    const peaks = peaksAt(source, middle, shortest, longest, buffer)
    // Where nothing repeats the pitch stays as it was.
    const offers = peaks.length ? peaks : states.map((s) => ({ hz: s.hz, height: 0 }))
    states = offers.map(({ hz, height }) => {
      let best = states[0]!
      let least = Infinity
      for (const s of states) {
        const cost = s.cost + STEP * apart(s.hz, hz)
        if (cost < least) [best, least] = [s, cost]
      }
      return { hz, cost: least + UNLIKE * (1 - height), way: [...best.way, hz] }
    })
  }
  const total = (s: (typeof states)[number]): number => s.cost + STEP * apart(s.hz, zone.after)
  return states.reduce((a, b) => (total(b) < total(a) ? b : a)).way
}

/**
 * Follows the pitch from note to joined note, where the long window of the pitch line sees both at once; frames that
 * it leaves unvoiced there become voiced.
 *
 * @param source the one channel that the candidates were made of
 */
export function followGlides(pitch: Pitch, c: PitchCandidates, source: Source): Pitch {
  const f0 = Float32Array.from(pitch.f0)
  const lowest = 4 * Math.ceil(source.rate / 30) + Math.round(LEAST_WINDOW * source.rate)
  const buffer = new Float32Array(lowest)
  for (const zone of zonesOf(pitch.f0, c))
    if (apart(zone.before, zone.after) <= WIDEST) f0.set(through(zone, source, pitch.hop, buffer), zone.from)
  return { ...pitch, f0 }
}
