// Notes that begin over a neighbouring string which rings on: tuned by their own partials, not by the period of both.
import { realFft } from '../../dsp/fft'
import { magnitudes } from '../../dsp/magnitudes'
import { hann } from '../../dsp/windows'
import type { Source } from '../source'
import type { Note } from './notes'

/** What is listened to: from so long after the start on, for so long at most and at least, seconds. */
const AFTER = 0.008
const MOST = 0.2
const LEAST = 0.08
/** Size of the transforms, seconds: zeros after the window give fine steps. */
const PADDED = 0.37
const HARMONICS = 8
/** Earlier notes may ring for so long, seconds, and pull the line from within so many semitones. */
const RINGS = 2.5
const CLOSE = 0.6
const FAR = 3.4
/** Share of a note's own partials that a ringing one must have to pull. */
const PULLS = 0.15
/** Partials are looked for within this of where the line puts the note, semitones. */
const REACH = 0.65
/** A struck sound's power at first, over that at the end of what is listened to. */
const FALLS = 1.08
/** What moves a note by less was no pull, cents. */
const PULLED = 3
/** Least partials that must agree, within so many cents. */
const AGREE = 3
const WITHIN = 12

const hzOf = (midi: number): number => 440 * 2 ** ((midi - 69) / 12)

/** Middle of values by weight. */
function weightedMedian(values: readonly { readonly x: number; readonly weight: number }[]): number {
  const sorted = [...values].sort((a, b) => a.x - b.x)
  let left = sorted.reduce((s, v) => s + v.weight, 0) / 2
  for (const v of sorted) {
    left -= v.weight
    if (left <= 0) return v.x
  }
  return NaN
}

/**
 * Notes with the pitch that their own partials have, where a string within three semitones still rings.
 *
 * The line then follows the period of the sum, up to half a semitone off. Partials a few octaves up lie far enough
 * apart to be told from each other: each is the highest point of the spectrum near its place, less what rang before,
 * read between bins by a parabola through the log magnitudes (J. O. Smith & X. Serra, "PARSHL", ICMC 1987).
 *
 * @param source what the notes were found in
 */
export function tunedByPartials(notes: readonly Note[], source: Source): Note[] {
  const { rate } = source
  const size = 2 ** Math.round(Math.log2(PADDED * rate))
  const fft = realFft(size)
  const [time, packed] = [new Float32Array(size), new Float32Array(size)]
  const windows = new Map<number, Float32Array>()
  const [after, before] = [new Float32Array(size / 2 + 1), new Float32Array(size / 2 + 1)]
  const spectrum = (from: number, count: number, into: Float32Array): void => {
    const window = windows.get(count) ?? hann(count)
    windows.set(count, window)
    time.fill(0)
    source.copy(0, from, time.subarray(0, count))
    for (let i = 0; i < count; i++) time[i]! *= window[i]!
    fft.forward(time, packed)
    magnitudes(packed, into)[0] = 0
  }
  const bin = (hz: number): number => (hz * size) / rate
  const partials = (x: Float32Array, hz: number): number => {
    let sum = 0
    for (let h = 1; h <= HARMONICS; h++) {
      const k = Math.round(bin(h * hz))
      if (k + 1 < x.length) sum += Math.max(x[k - 1]!, x[k]!, x[k + 1]!)
    }
    return sum
  }

  /** True when the first quarter of a stretch is louder than its last: what is bowed or blown is not. */
  const diesAway = (at: number, count: number): boolean => {
    const quarter = time.subarray(0, count >> 2)
    const power = (from: number): number => {
      source.copy(0, from, quarter)
      return quarter.reduce((sum, v) => sum + v * v, 0)
    }
    return power(at + Math.round(AFTER * rate)) > FALLS * power(at + count - quarter.length)
  }

  return notes.map((note, i) => {
    const length = Math.min(MOST, note.end - note.start - AFTER)
    const ringing = notes
      .slice(Math.max(0, i - 6), i)
      .filter((p) => note.start - p.start < RINGS)
      .filter((p) => Math.abs(p.midi - note.midi) > CLOSE && Math.abs(p.midi - note.midi) < FAR)
    // A voice that swings has no string's pitch.
    if (length < LEAST || ringing.length === 0 || note.vibrato.depth > 0) return note
    const count = Math.round(length * rate)
    const at = Math.round(note.start * rate)
    spectrum(at + Math.round(AFTER * rate), count, after)
    if (!diesAway(at, count)) return note
    const own = partials(after, hzOf(note.midi))
    if (!ringing.some((p) => partials(after, hzOf(p.midi)) > PULLS * own)) return note
    spectrum(at - count - Math.round(0.004 * rate), count, before)
    const found: { x: number; weight: number }[] = []
    for (let h = 1; h <= HARMONICS; h++) {
      const from = Math.max(1, Math.ceil(bin(h * hzOf(note.midi - REACH))))
      const to = Math.min(after.length - 2, Math.floor(bin(h * hzOf(note.midi + REACH))))
      let [best, height] = [0, 0]
      for (let k = from; k <= to; k++) {
        const added = after[k]! - before[k]!
        if (added > height && after[k]! >= after[k - 1]! && after[k]! > after[k + 1]!)
          [best, height] = [k, added]
      }
      if (!best) continue
      const [a, b, c] = [after[best - 1]!, after[best]!, after[best + 1]!].map((v) =>
        Math.log(v + 1e-12),
      ) as [number, number, number]
      const place = best + (0.5 * (a - c)) / (a - 2 * b + c)
      found.push({ x: 69 + 12 * Math.log2((place * rate) / size / h / 440), weight: Math.sqrt(height) })
    }
    const midi = weightedMedian(found)
    const agreeing = found.filter((f) => Math.abs(f.x - midi) < WITHIN / 100)
    if (agreeing.length < AGREE || 2 * agreeing.length < found.length) return note
    const moved = 100 * (midi - note.midi)
    if (Math.abs(moved) < PULLED) return note
    return { ...note, midi, glideIn: note.glideIn - moved, glideOut: note.glideOut - moved }
  })
}
