// Partials whose pitch glides within a vocoder's frame: how fast, and what becomes of that where the map is not as steep.
import { rotate } from './phases'

/**
 * Bins that a glide sweeps over while a frame lasts by the angle between the sides and the middle of its window: in
 * proportion at first, then more. Fitted to glides of 0 to 24 bins by a script of ours.
 */
const ANGLE_PER_BIN: f32 = 0.0755
const STRAIGHT: f32 = 0.94
const STRAIGHT_BINS: f32 = 12.4
const BINS_PER_ANGLE: f32 = 25
/** Less is not heard, and of more the angle says little, bins. */
const LEAST: f32 = 1
const MOST: f32 = 22
/** A partial is the same in two frames a hop apart when its bins agree by this (squared correlation); those of noise do not. */
const SAME: f32 = 0.7225
/** A window has four hops. */
const HOPS: f32 = 4
/** A frame is bent by the square of a sine for the square of time; by so much, both agree best where the window weighs most. */
const SQUARE: f32 = 1.1
/** Bent by more than this, radians at a quarter of the window, the series below ends too soon. */
const MOST_BENT: f32 = 1.3
/** Partials this much softer than the loudest are left as they are (power). */
const SOFT: f32 = 1e-5
/** Bins beside a partial's that its glide is told by. */
const REACH = 2

/**
 * Bins that the pitch of the sound around a bin rises by while the frame lasts; 0 where that is not told.
 *
 * The window times 1 - cos and times 1 + cos are sums of neighbouring bins; a glide's phase is a square of time, so that
 * it lies apart in the two by an angle that grows with the glide, wherever between bins it lies.
 */
function sweptBins(x: usize, all: usize, stride: usize, bin: i32): f32 {
  let re: f32 = 0
  let im: f32 = 0
  for (let c: usize = 0; c < all; c += stride) {
    const at = x + c + ((<usize>bin) << 3)
    for (let k = at - 8; k <= at + 8; k += 8) {
      // Transforms begin at a frame's start, so that neighbours are of opposite sign about its middle.
      const besideRe: f32 = 0.5 * (load<f32>(k - 8) + load<f32>(k + 8))
      const besideIm: f32 = 0.5 * (load<f32>(k - 4) + load<f32>(k + 12))
      const middleRe = load<f32>(k) - besideRe
      const middleIm = load<f32>(k, 4) - besideIm
      const sidesRe = load<f32>(k) + besideRe
      const sidesIm = load<f32>(k, 4) + besideIm
      re += sidesRe * middleRe + sidesIm * middleIm
      im += sidesIm * middleRe - sidesRe * middleIm
    }
  }
  if (re <= 0 || Mathf.abs(im) < LEAST * ANGLE_PER_BIN * re) return 0
  const angle = Mathf.atan2(im, re)
  const size = Mathf.abs(angle)
  if (size < STRAIGHT) return angle / ANGLE_PER_BIN
  return Mathf.sign(angle) * (STRAIGHT_BINS + BINS_PER_ANGLE * (size - STRAIGHT))
}

/** Squared correlation of the bins around `a` of one spectrum and around `b` of another. */
function likeness(x: usize, y: usize, all: usize, stride: usize, a: i32, b: i32): f32 {
  let re: f32 = 0
  let im: f32 = 0
  let one: f32 = 1e-30
  let other: f32 = 1e-30
  for (let c: usize = 0; c < all; c += stride) {
    let p = x + c + ((<usize>(a - REACH)) << 3)
    let q = y + c + ((<usize>(b - REACH)) << 3)
    for (let k = -REACH; k <= REACH; k++) {
      const pr = load<f32>(p)
      const pi = load<f32>(p, 4)
      const qr = load<f32>(q)
      const qi = load<f32>(q, 4)
      re += pr * qr + pi * qi
      im += pi * qr - pr * qi
      one += pr * pr + pi * pi
      other += qr * qr + qi * qi
      p += 8
      q += 8
    }
  }
  return (re * re + im * im) / (one * other)
}

/** The angle by which the phase of the bins before and at one rises from each to the next. */
function slopeAt(x: usize, all: usize, stride: usize, bin: i32): f32 {
  let re: f32 = 0
  let im: f32 = 0
  for (let c: usize = 0; c < all; c += stride) {
    const at = x + c + ((<usize>bin) << 3)
    for (let k = at - 8; k <= at; k += 8) {
      re -= load<f32>(k + 8) * load<f32>(k) + load<f32>(k + 12) * load<f32>(k, 4)
      im -= load<f32>(k + 12) * load<f32>(k) - load<f32>(k + 8) * load<f32>(k, 4)
    }
  }
  return Mathf.atan2(im, re)
}

/**
 * Finds partials whose pitch glides, corrects their turns, and tells how far they glide.
 *
 * Where the recording is read `faster` than it is heard, a pitch rises that much faster too. The phase of the last output
 * frame and of the recording a hop back are then those of other pitches than now, and on the way between the frames'
 * middles the pitch heard is another than the recording's over a hop: `findTurns` knows of neither.
 *
 * @param now, back, previous packed spectra of all channels as `findTurns` takes them, of Hann windows of four hops
 * @param power, peaks, turns, count as it finds them; the turns of gliding partials are changed
 * @param faster samples of the recording a sample of the output
 * @param glides filled with two numbers for each partial: bins that it rises by in a frame, 0 where it does not glide, and the
 * angle, radians, by which its turn is still to be turned
 * @returns number of partials that glide
 * Source of a glide's rate from the phases around a peak: M. Abe & J. O. Smith, "AM/FM rate estimation for time-varying
 * sinusoidal modeling", ICASSP 2005, here with windows whose sums are bins.
 */
export function findGlides(
  now: usize,
  back: usize,
  previous: usize,
  channels: i32,
  half: i32,
  power: usize,
  peaks: usize,
  turns: usize,
  count: i32,
  faster: f32,
  glides: usize,
): i32 {
  const stride = (<usize>half) << 3
  const all = stride * <usize>channels
  const margin = REACH + <i32>(MOST / HOPS) + 2
  let loudest: f32 = 0
  for (let p: usize = 0; p < (<usize>count) << 2; p += 4)
    loudest = max(loudest, load<f32>(power + ((<usize>load<i32>(peaks + p)) << 2)))
  const soft = SOFT * loudest
  let found = 0
  for (let p = 0; p < count; p++) {
    const to = glides + ((<usize>p) << 3)
    store<f32>(to, 0)
    const bin = load<i32>(peaks + ((<usize>p) << 2))
    if (bin <= REACH + 2 || bin >= half - margin || load<f32>(power + ((<usize>bin) << 2)) < soft) continue
    const swept = sweptBins(now, all, stride, bin)
    if (swept === 0 || Mathf.abs(swept) > MOST) continue
    // Where it was a hop back: the likelier of the two bins around that place.
    const below = max(REACH + 2, <i32>Mathf.floor(<f32>bin - swept / HOPS))
    const like = likeness(now, back, all, stride, bin, below)
    const above = likeness(now, back, all, stride, bin, below + 1)
    if (max(like, above) < SAME) continue
    const was = above > like ? below + 1 : below
    const before = sweptBins(back, all, stride, was)
    if (swept * before <= 0 || Mathf.abs(before) > MOST) continue
    const mean: f32 = 0.5 * (swept + before)
    // The last output frame lies farther back in the recording, by so many bins of this pitch.
    const farther = (mean * (faster - 1)) / HOPS
    const whole = <i32>Mathf.round(farther)
    const last = max(1, min(half - 1, was - whole))
    let re: f32 = 0
    let im: f32 = 0
    for (let c: usize = 0; c < all; c += stride) {
      const y = previous + c + ((<usize>last) << 3)
      const x = back + c + ((<usize>was) << 3)
      re += load<f32>(y) * load<f32>(x) + load<f32>(y, 4) * load<f32>(x, 4)
      im += load<f32>(y, 4) * load<f32>(x) - load<f32>(y) * load<f32>(x, 4)
    }
    const norm = Mathf.sqrt(re * re + im * im)
    if (norm === 0) continue
    const sign: f32 = (was - last) & 1 ? -1 : 1
    const turn = turns + ((<usize>p) << 3)
    store<f32>(turn, (sign * re) / norm)
    store<f32>(turn, (sign * im) / norm, 4)
    const between = slopeAt(back, all, stride, was) * (farther - <f32>whole)
    const way = (<f32>Math.PI / (HOPS * HOPS)) * mean * (faster - 1)
    store<f32>(to, -between - way, 4)
    store<f32>(to, swept)
    found++
  }
  return found
}

/**
 * Turns spectra as `turnBins` does, and bends the frames of gliding partials: in time, they are multiplied by
 * exp(i z (1 - cos 2 pi t)), t from the frame's middle in windows. In bins that is a sum over neighbours.
 *
 * Source: the Jacobi-Anger expansion and the power series of Bessel functions, M. Abramowitz & I. Stegun, "Handbook of
 * Mathematical Functions", 9.1.44, 9.1.45 and 9.1.10; terms beyond the third neighbour are below 1 % at the most z.
 *
 * @param glides as `findGlides` fills it; @param faster as it takes it
 * @param out filled with the turned and bent spectra of `now`, which stay as they are
 */
export function bendBins(
  now: usize,
  out: usize,
  channels: i32,
  half: i32,
  ends: usize,
  turns: usize,
  glides: usize,
  count: i32,
  faster: f32,
): void {
  const stride = (<usize>half) << 3
  const all = stride * <usize>channels
  memory.copy(out, now, all)
  let start = 1
  for (let p = 0; p < count; p++) {
    const at = (<usize>p) << 2
    const end = load<i32>(ends + at)
    const re = load<f32>(turns + (at << 1))
    const im = load<f32>(turns + (at << 1), 4)
    const bend = (SQUARE * load<f32>(glides + (at << 1)) * (faster - 1)) / <f32>(2 * Math.PI)
    const z: f32 = max(-MOST_BENT, min(MOST_BENT, bend))
    if (z === 0) {
      if (re !== 1 || im !== 0)
        for (let c: usize = 0; c < all; c += stride) rotate(out + c, start, end, re, im)
      start = end
      continue
    }
    const q = (z * z) / 4
    const j0: f32 = 1 - q * (1 - (q / 4) * (1 - q / 9))
    const j1: f32 = (z / 2) * (1 - (q / 2) * (1 - (q / 6) * (1 - q / 12)))
    const j2: f32 = (q / 2) * (1 - (q / 3) * (1 - q / 8))
    const j3: f32 = ((q * z) / 12) * (1 - (q / 4) * (1 - q / 10))
    // The library's have tables, which would lie where the arrays do.
    const cos: f32 = 1 - 2 * q * (1 - (q / 3) * (1 - ((2 * q) / 15) * (1 - q / 14)))
    const sin: f32 = z * (1 - ((2 * q) / 3) * (1 - (q / 5) * (1 - ((2 * q) / 21) * (1 - q / 18))))
    const turnRe = re * cos - im * sin
    const turnIm = re * sin + im * cos
    const last = min(end, half - 4)
    for (let c: usize = 0; c < all; c += stride)
      for (let k = max(4, start); k < last; k++) {
        const x = now + c + ((<usize>k) << 3)
        const evenRe = j0 * load<f32>(x) - j2 * (load<f32>(x - 16) + load<f32>(x + 16))
        const evenIm = j0 * load<f32>(x, 4) - j2 * (load<f32>(x - 12) + load<f32>(x + 20))
        const oddRe =
          j1 * (load<f32>(x - 8) + load<f32>(x + 8)) - j3 * (load<f32>(x - 24) + load<f32>(x + 24))
        const oddIm =
          j1 * (load<f32>(x - 4) + load<f32>(x + 12)) - j3 * (load<f32>(x - 20) + load<f32>(x + 28))
        const bentRe = evenRe - oddIm
        const bentIm = evenIm + oddRe
        const to = out + c + ((<usize>k) << 3)
        store<f32>(to, bentRe * turnRe - bentIm * turnIm)
        store<f32>(to, bentRe * turnIm + bentIm * turnRe, 4)
      }
    start = end
  }
}
