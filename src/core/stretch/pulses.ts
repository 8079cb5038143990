// Pitch and formants of a single line, each on its own: periods are cut out and set down closer or further apart.
import { readBetween, readPiece } from '../audio/sinc'
import { pitchGuide } from './guide'
import { LONGEST_PERIOD, marksReach, nextMark, pulseSign, type Mark } from './marks'
import { slide } from './sliding'
import { cutLength, periodCutter } from './tract'
import type { Source, Span, Voice } from './types'

/** Both ends of a joined span are left as they are for this long, seconds. */
const EDGE = 0.004
/** What the sign of pulses is found in, seconds, or a period. */
const SIGNED = 0.0267
/** Most that a period is made louder or softer to keep the level, as a factor. */
const MOST_GAIN = 2.5
/** Share of a period's own powers in those that tell its gain. */
const SHARE = 0.2
/** Steps to the speed at which that is just enough. */
const HALVINGS = 7
/** Output samples made at a time. */
const BLOCK = 2048

/**
 * Weights w[i] of a raised cosine that is 1 at 0 and 0 at `reach`, for i in [from, to), the first at a place.
 * Every cosine is told by the two before it.
 */
function raisedCosine(w: Float64Array, from: number, to: number, place: number, reach: number): void {
  const step = Math.PI / reach
  const twice = 2 * Math.cos(step)
  let [before, now] = [Math.cos(step * (place - 1)), Math.cos(step * place)]
  for (let i = from; i < to; i++) {
    w[i] = 0.5 + 0.5 * now
    const next = twice * now - before
    before = now
    now = next
  }
}

/**
 * A voice at another pitch with formants of its own, at the same speed.
 *
 * Every period of a voiced stretch is cut out around its pulse, reaching to the neighbouring pulses, read `formant`
 * times as fast, and set down at the new distances, so that each lies as near as can be to where it was. It is cut out
 * of what is left when the tract's resonances are taken off, and sounded through them afterwards: they ring on for
 * longer than a period, and cut short they would be broadened and moved to the new harmonics. Its gain keeps the level
 * of the voice; where it cannot, the formants move towards the pitch. Unvoiced sounds, and a joined span's ends, are the
 * voice as it is. All channels share the pulses.
 *
 * Source: E. Moulines & F. Charpentier, "Pitch-synchronous waveform processing techniques for text-to-speech synthesis
 * using diphones", Speech Communication 9, 1990 (TD-PSOLA, and its variant on the prediction residual, LP-PSOLA).
 *
 * @param voice   the span at its length, not transposed
 * @param pitch   frequency ratio at an output sample
 * @param formant ratio by which the formants move
 */
export function pulses(
  source: Source,
  span: Span,
  voice: Voice,
  pitch: (n: number) => number,
  formant: number,
): Voice {
  const rate = source.sampleRate
  const { length } = span
  const longest = Math.ceil(LONGEST_PERIOD * rate)
  const ahead = marksReach(rate)
  const y = slide(voice, source, span, length, 3 * longest)
  const guide = pitchGuide(source)
  const step = (span.to - span.from) / length
  const edge = Math.min(Math.round(EDGE * rate), length >> 2)
  const [start, end] = [span.joinsStart ? edge : 0, span.joinsEnd ? length - edge : length]
  const period = (n: number): number => {
    if (n < start || n >= end) return 0
    const hz = guide(span.from + n * step)
    // The last period of a joined span goes on into what lies beside it.
    return hz > 0 && n + rate / hz < end ? rate / hz : 0
  }

  const marks: Mark[] = [
    { at: -2 * longest, voiced: false },
    { at: -longest, voiced: false },
    { at: 0, voiced: false },
  ]
  const more = (to: number): void => {
    for (let last = marks[marks.length - 1]!; last.at < to; last = marks[marks.length - 1]!) {
      y.reach(Math.ceil(last.at) + ahead + longest)
      const from = Math.round(last.at)
      if (!last.voiced) sign = undefined
      const signOf = (length: number) =>
        (sign ??= pulseSign(y, from, from + Math.round(Math.max(length, SIGNED * rate))))
      marks.push(nextMark(y, last, period, signOf, rate))
    }
  }
  /** Of the pulses of the voiced stretch; found where it begins. */
  let sign: 1 | -1 | undefined

  const wide = Math.ceil(cutLength(rate, longest) / Math.min(1, formant))
  const sums = source.channels.map(() => new Float32Array(BLOCK + 8 * longest + 6 * wide))
  /** Output sample that the sums begin at. */
  let base = -4 * wide
  const grain = new Float32Array(wide + 4)

  const reachOf = (k: number): [number, number] => [
    Math.min(longest, marks[k]!.at - marks[k - 1]!.at),
    Math.min(longest, marks[k + 1]!.at - marks[k]!.at),
  ]

  const weights = new Float64Array(2 * longest + 2)
  /** Adds what lies around a mark as it is, where it is. */
  const leave = (k: number): void => {
    const { at } = marks[k]!
    const [left, right] = reachOf(k)
    const [from, to] = [Math.ceil(at - left), Math.floor(at + right)]
    const middle = Math.ceil(at)
    raisedCosine(weights, 0, middle - from, from - at, left)
    raisedCosine(weights, middle - from, to + 1 - from, middle - at, right)
    y.channels.forEach((x, c) => {
      const sum = sums[c]!
      for (let n = from; n <= to; n++) sum[n - base]! += weights[n - from]! * x[n - y.base]!
    })
  }

  const cutter = periodCutter(rate, source.channels.length, longest)
  /** Where what the cutter holds was cut out. */
  let held = NaN

  /**
   * Power of the cut period as it was, and set down so often, and the speed that it is read at: as its formants ask, but
   * no nearer to that than its gain can make up for. A flute's tone an octave higher has hardly anything left of where its
   * formants were.
   */
  const powersOf = (distance: number, before: number): [own: number, anew: number, speed: number] => {
    const own = cutter.power + 1e-20
    // Reading faster makes a period shorter, and its power with it.
    const at = (speed: number): number => cutter.powerEvery(distance * speed)
    const anew = at(formant)
    const least = own / MOST_GAIN ** 2
    let [none, all] = [formant, before / distance]
    if (anew >= least || all < none) return [own, anew, formant]
    for (let step = 0; step < HALVINGS; step++) {
      const middle = Math.sqrt(none * all)
      if (at(middle) < least) none = middle
      else all = middle
    }
    return [own, at(all), all]
  }

  /** These powers in the mean of several periods, as the gain of each by itself would waver. */
  const usual = { own: 0, anew: 0, periods: 0 }
  /** Gain that keeps the level of a period. */
  const gainFor = (own: number, anew: number): number => {
    const share = Math.max(SHARE, 1 / ++usual.periods)
    usual.own += share * (own - usual.own)
    usual.anew += share * (anew - usual.anew)
    const gain = Math.sqrt(usual.own / (usual.anew + 1e-20))
    return Math.min(MOST_GAIN, Math.max(1 / MOST_GAIN, gain))
  }

  /** Adds the period of a mark, set down at `place`, where periods come after `distance` instead of `before` samples. */
  const set = (k: number, place: number, distance: number, before: number): void => {
    const { at } = marks[k]!
    const ratio = before / distance / formant
    if (held !== at) cutter.cut(y.channels, at - y.base, ...reachOf(k), ratio, at - held)
    held = at
    const [own, anew, speed] = powersOf(distance, before)
    const gain = gainFor(own, anew)
    const from = Math.ceil(place - (cutter.middle - cutter.from) / speed)
    const piece = grain.subarray(0, Math.ceil(cutter.length / speed))
    cutter.channels.forEach((x, c) => {
      const start = cutter.middle + (from - place) * speed
      // At the recording's own rate one row of taps does for all of it.
      if (speed === 1) readBetween(x, start, piece)
      else readPiece(x, start, speed, piece)
      const sum = sums[c]!
      for (let i = 0; i < piece.length; i++) sum[from + i - base]! += gain * piece[i]!
    })
  }

  /** Mark that was set down last, or is the next one to be, and its place in the output. */
  let k = 1
  let last = -2 * longest
  let inside = false

  /** Distance of the marks around a place at or after mark k, as a line between the middles of their gaps. */
  const spacingAt = (place: number): number => {
    let j = k
    while (marks[j + 1]!.voiced && (marks[j]!.at + marks[j + 1]!.at) / 2 < place) j++
    const [a, b, c] = [marks[j - 1]!.at, marks[j]!.at, marks[j + 1]!.at]
    const x = Math.min(1, Math.max(0, (2 * place - a - b) / (c - a)))
    return (1 - x) * (b - a) + x * (c - b)
  }

  /** Sets down the next period. */
  const advance = (): void => {
    more(Math.max(last, marks[k]!.at) + 6 * longest)
    if (!inside) {
      // Unvoiced sound, and the first period of a voiced stretch, stay as they are.
      last = marks[k]!.at
      leave(k)
      inside = marks[k]!.voiced
      if (!inside) k++
      usual.periods = 0
      cutter.begin()
      return
    }
    const p = pitch(Math.round(last))
    const around = spacingAt(last + (marks[k + 1]!.at - marks[k]!.at) / (2 * p))
    const place = last + Math.min(longest, around) / p
    while (marks[k + 1]!.voiced && Math.abs(marks[k + 1]!.at - place) < Math.abs(marks[k]!.at - place)) k++
    const after = marks[k + 1]!
    if (!after.voiced && after.at - place < around / 2) {
      k++
      inside = false
      return
    }
    set(k, place, around / p, around)
    last = place
  }

  let next = 0
  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        const n = Math.min(BLOCK, count - done)
        while (last < next + n + wide + longest) advance()
        out.forEach((o, c) => {
          const sum = sums[c]!
          o.set(sum.subarray(next - base, next - base + n), at + done)
        })
        next += n
        done += n
        const gone = next - wide - base
        if (gone > 0)
          for (const s of sums) {
            s.copyWithin(0, gone)
            s.fill(0, s.length - gone)
          }
        if (gone > 0) base = next - wide
        y.leave(Math.floor(Math.min(next, marks[k - 1]!.at)) - 3 * longest)
        if (k > 64) {
          marks.splice(0, k - 2)
          k = 2
        }
      }
    },
  }
}
