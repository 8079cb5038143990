// One layer of a phase vocoder: frames of a recording, or of a band of it, with phases that go on, and their overlaps.
import { realFft } from '../dsp/fft'
import { levelKeeper } from './keeper'
import { fillFlat, giveRoomBack, OVERLAP, takeRoom, type Turns } from './layer-room'
import { masking } from './masking'
import type { Mixer } from './mixer'
import { findLows, turnNegative, type LowTone } from './negative'
import { besidePeak, betweenBins, Part, sortParts } from './sorting'
import { toldBeside, toldParts, type Tones } from './tones'
import type { Readable, Span } from './types'

/** Share of the window's weight below which what is missing is not made up for: there a head or tail sounds. */
const LEAST_WEIGHT = 0.4

/** Read faster or slower by less than this, what glides needs no bending: it would be heard by less than 0.01 dB. */
const LEAST_FASTER = 0.01
/** Faster than this, too little of a vibrato lies between two frames to tell how it goes on. */
const MOST_PACE = 3

/** First bin that may be a tone's; the one before is the side of a constant offset. */
const FIRST = 2
/** Middles of frames less than this apart are the same, samples. */
const LEAST_AWAY = 1
/** Above this frequency what a tone is drawn aside by is no pitch that anyone hears, Hz. */
const CORRECTED = 2000

/** Parts of a spectrum that are turned against the recording; those that are not have a turn of 1. */
export interface Turned {
  /** Length of the frames that it was found in. */
  readonly size: number
  /** Bins after the parts, and a complex number of modulus 1 each. */
  readonly ends: Float32Array
  readonly by: Float32Array
}

export interface Layer {
  readonly size: number
  readonly hop: number
  readonly turns: Turns
  /** Adds a frame that is the recording itself, or that turned. @param place recording sample under its centre */
  copy(place: number, turned?: Turned): void
  /** The next frame goes on from the recording as it is here, or that turned. */
  begin(place: number, turned?: Turned): void
  /** Finds by how much what sounds is turned at a place `ahead` output samples after the last frame. */
  meet(place: number, ahead: number): void
  /** What becomes of the parts of the spectrum at the span's end, as `meet` finds them there. */
  sort(place: number): Uint8Array
  /** The recording around a place, with parts of it turned, `reach` samples on either side. */
  turned(place: number, reach: number, by: Turned): Float32Array[]
  /** What was met, by parts; those that are not wanted have a turn of 1. */
  met(wanted: (part: number) => boolean): Turned
  /** From here on frames are only looked at, until `goBack` returns to here. */
  lookAhead(): void
  goBack(): void
  /** Goes on as after the frame that was met, which nobody hears. */
  pass(): void
  /** Takes the frame around a recording place, and finds by how much its partials turn to go on. @param pace samples of the recording an output sample there */
  analyse(place: number, pace: number): void
  /** After `sort` of that place: frequencies of its parts' tones, Hz; 0 of what is beside a constant offset. */
  frequencies(place: number): Float32Array
  /** Turns the frame that was taken further: every partial as the part of the spectrum is that its peak lies in. */
  turnFurther(parts: Turned): void
  /** Adds that frame, turned by `turns`. */
  add(): void
  /** Adds the hop that no further frame reaches to a mix, times a gain, and goes on to the next. */
  give(mix: Mixer, at: number, level: number): void
  /** No frame will be asked for any more. */
  close(): void
}

/** Multiplies the complex number of that index. */
function rotate(numbers: Float32Array, index: number, re: number, im: number): void {
  const a = numbers[2 * index]!
  const b = numbers[2 * index + 1]!
  numbers[2 * index] = a * re - b * im
  numbers[2 * index + 1] = a * im + b * re
}

/** Opens a layer over a span. @param size of its frames, a power of two; @param tones at the span's end by longer frames, if there are such */
export function openLayer(source: Readable, span: Span, size: number, tones?: Tones): Layer {
  const hop = size / OVERLAP
  const { count } = source
  const fft = realFft(size)
  const room = takeRoom(size, count)
  const { run, window, moment, synthesis, squared, frame, mask, weights, squares, ones } = room
  const { power, turns, sums, weight } = room
  for (const s of [...sums, weight]) s.fill(0)
  let [now, previous] = [room.spectra[0]!, room.spectra[1]!]
  const back = room.spectra[2]!
  const maskFor = masking(span, source, mask)
  const keeper = levelKeeper(OVERLAP)
  const parts = new Float64Array(OVERLAP)
  /** At the end and at the beginning of the hop that is ready. */
  let [gain, before] = [1, 1]
  /** Where the frame is from that was sorted; of that and of the one to go back to, as `beside` tells it. */
  let sorted: number | undefined
  /** Low tones of the frame that was taken, by their parts. */
  const lows = new Map<number, LowTone>()
  /** Where the halves are from. */
  let halved: number | undefined
  let [endedBeside, keptBeside] = [0, 0]
  /** Hops from now on that have a masked frame in them. */
  let partial = 0
  /** Partials of the frame that was taken whose pitch glides. */
  let gliding = 0
  /** How fast the recording is read there. */
  let paceNow = 1

  const read = (c: number, from: number): void => source.read(c, from, from + size, frame.fill(0), 0)
  /** How far the middle of what is left of a frame lies beside the frame's, samples: of each of the three. */
  const beside = new Map<readonly Float32Array[], number>()
  /** Analyses the frame around a place. @returns true when something of it was masked */
  const take = (at: number, into: readonly Float32Array[]): boolean => {
    const from = Math.round(at) - size / 2
    const masked = maskFor(from)
    const weighed = (by: Float32Array): number => run.dot(mask.byteOffset, by.byteOffset, size)
    beside.set(into, masked ? weighed(moment) / (weighed(window) + 1e-9) : 0)
    for (let c = 0; c < count; c++) {
      read(c, from)
      if (masked) run.multiply(frame.byteOffset, mask.byteOffset, frame.byteOffset, size)
      run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
      fft.forward(frame, into[c]!)
    }
    return masked
  }

  /** Turns spectra as parts of the recording are turned. */
  const turn = (spectra: readonly Float32Array[], { size: own, ends, by }: Turned): void => {
    let n = 0
    ends.forEach((end, p) => {
      const at = Math.round((end * size) / own)
      if (at <= (turns.ends[n - 1] ?? 1)) return
      turns.ends[n] = at
      turns.by[2 * n] = by[2 * p]!
      turns.by[2 * n + 1] = by[2 * p + 1]!
      n++
    })
    run.turnBins(spectra[0]!.byteOffset, count, size / 2, turns.ends.byteOffset, turns.by.byteOffset, n)
  }

  /** Turns the frame that was taken as what sounds goes on. */
  const goOn = (): void => {
    const { ends, by } = turns
    run.turnBins(now[0]!.byteOffset, count, size / 2, ends.byteOffset, by.byteOffset, turns.count)
    turnNegative(now, lows, turns)
  }

  /** Finds partials whose pitch glides, and their turns anew. @param pace samples of the recording an output sample */
  const findGlides = (pace: number): number => {
    const { glides, by } = turns
    const found = run.findGlides(
      now[0]!.byteOffset,
      back[0]!.byteOffset,
      previous[0]!.byteOffset,
      count,
      size / 2,
      power.byteOffset,
      turns.peaks.byteOffset,
      turns.by.byteOffset,
      turns.count,
      pace,
      glides.byteOffset,
    )
    for (let p = 0; found && p < turns.count; p++)
      if (glides[2 * p] !== 0) rotate(by, p, Math.cos(glides[2 * p + 1]!), Math.sin(glides[2 * p + 1]!))
    return found
  }

  /** Turns the frame that was taken as what sounds goes on, with what glides bent as the map has it. */
  const bend = (pace: number): void =>
    run.bendBins(
      now[0]!.byteOffset,
      room.bent[0]!.byteOffset,
      count,
      size / 2,
      turns.ends.byteOffset,
      turns.by.byteOffset,
      turns.glides.byteOffset,
      turns.count,
      pace,
    )

  /** Adds frames to the sums. */
  const sound = (spectra: readonly Float32Array[]): void =>
    spectra.forEach((x, c) => {
      fft.inverseUnscaled(x, frame)
      run.addProduct(frame.byteOffset, synthesis.byteOffset, sums[c]!.byteOffset, size)
    })

  /** Finds turns at a place from the last frame, and the recording `ahead` before it. */
  const findTurns = (place: number, ahead: number): void => {
    if (ahead > 0) take(place - ahead, back)
    turns.count = run.findTurns(
      now[0]!.byteOffset,
      back[0]!.byteOffset,
      previous[0]!.byteOffset,
      count,
      size / 2,
      power.byteOffset,
      turns.peaks.byteOffset,
      turns.ends.byteOffset,
      turns.by.byteOffset,
    )
    // Of masked frames the window is another.
    if ([now, back, previous].some((spectra) => (beside.get(spectra) ?? 0) !== 0)) lows.clear()
    else findLows(now, back, previous, power, turns, lows)
    const away = (beside.get(previous) ?? 0) - (beside.get(back) ?? 0)
    if (Math.abs(away) > LEAST_AWAY) correct((2 * Math.PI * away) / size)
  }

  /**
   * Tones beside their peak's bin turn from the middle of what is left of one frame to that of another: takes that away.
   *
   * @param turn of one that lies a whole bin beside, radians
   */
  const correct = (turn: number): void => {
    const highest = (CORRECTED * size) / source.sampleRate
    for (let p = 0; p < turns.count && turns.peaks[p]! < highest; p++) {
      const bin = turns.peaks[p]!
      const told = tones && toldBeside(tones, bin, size, source.sampleRate)
      if (told === undefined && bin < FIRST) continue
      const angle = turn * (told ?? betweenBins(power, bin))
      rotate(turns.by, p, Math.cos(angle), -Math.sin(angle))
    }
  }

  /** Compares two halves of a frame, part by part. */
  const compare = (one: readonly Float32Array[], other: readonly Float32Array[], into: Float32Array): void =>
    run.compareParts(
      one[0]!.byteOffset,
      other[0]!.byteOffset,
      count,
      size / 2,
      turns.peaks.byteOffset,
      turns.ends.byteOffset,
      turns.count,
      into.byteOffset,
    )

  /** Takes both halves of the frame around a place, which fade at both ends. */
  const halve = (place: number): void => {
    const { first, second, compared } = room.halves
    for (let c = 0; c < count; c++)
      for (const [half, into] of [first, second].entries()) {
        read(c, Math.round(place) - size / 2)
        const from = (half * size) / 2
        frame.fill(0, 0, from).fill(0, from + size / 2)
        const part = frame.byteOffset + 4 * from
        run.multiply(part, room.short.byteOffset, part, size / 2)
        fft.forward(frame, into[c]!)
      }
    compare(first, second, compared)
    halved = place
  }

  /** Gives the hop that is ready the weight that masks took. */
  const makeUp = (): void => {
    for (const s of sums) run.divide(s.byteOffset, weight.byteOffset, LEAST_WEIGHT, hop)
  }

  const shift = (x: Float32Array): void => {
    x.copyWithin(0, hop)
    x.fill(0, size - hop)
  }

  const finishHop = (): void => {
    if (partial-- > 0) makeUp()
    before = gain
    parts.fill(0)
    for (const s of sums) {
      run.multiply(s.byteOffset, s.byteOffset, squares.byteOffset, hop)
      for (let j = 0; j < OVERLAP; j++)
        parts[j]! += run.dot(squares.byteOffset, weights.byteOffset + 4 * j * hop, hop)
    }
    gain = keeper.finish(parts)
  }

  return {
    size,
    hop,
    turns,
    copy(place, turned) {
      for (let c = 0; c < count; c++) {
        read(c, place - size / 2)
        if (!turned) run.addProduct(frame.byteOffset, squared.byteOffset, sums[c]!.byteOffset, size)
        else {
          run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
          fft.forward(frame, now[c]!)
        }
      }
      if (turned) {
        turn(now, turned)
        sound(now)
      }
      run.addProduct(squared.byteOffset, ones.byteOffset, weight.byteOffset, size)
      keeper.expect(NaN)
      finishHop()
    },
    begin(place, turned) {
      take(place, previous)
      if (turned) turn(previous, turned)
    },
    meet(place, ahead) {
      if (place === sorted) {
        room.ended.forEach((x, c) => now[c]!.set(x))
        beside.set(now, endedBeside)
      } else take(place, now)
      findTurns(place, ahead)
    },
    lookAhead() {
      previous.forEach((x, c) => room.kept[c]!.set(x))
      keptBeside = beside.get(previous) ?? 0
    },
    goBack() {
      previous.forEach((x, c) => x.set(room.kept[c]!))
      beside.set(previous, keptBeside)
    },
    pass() {
      goOn()
      ;[now, previous] = [previous, now]
    },
    sort(place) {
      const masked = take(place, now)
      room.ended.forEach((x, c) => x.set(now[c]!))
      endedBeside = beside.get(now)!
      sorted = place
      halved = undefined
      findTurns(place, 0)
      if (!masked) return new Uint8Array(turns.count).fill(Part.SAME)
      // What is left out of the frame is what sounds after.
      for (let i = 0; i < size; i++) mask[i] = 1 - mask[i]!
      run.multiply(mask.byteOffset, window.byteOffset, mask.byteOffset, size)
      for (let c = 0; c < count; c++) {
        read(c, Math.round(place) - size / 2)
        run.multiply(frame.byteOffset, mask.byteOffset, frame.byteOffset, size)
        fft.forward(frame, back[c]!)
      }
      compare(now, back, room.compared)
      halve(place)
      const own = sortParts(room.compared, room.halves, turns, power)
      return tones ? toldParts(tones, turns.peaks, size, own) : own
    },
    turned(place, reach, by) {
      const { flat } = room
      if (flat.reach !== reach) fillFlat(flat.window, (flat.reach = reach))
      for (let c = 0; c < count; c++) {
        read(c, place - size / 2)
        run.multiply(frame.byteOffset, flat.window.byteOffset, frame.byteOffset, size)
        fft.forward(frame, now[c]!)
      }
      turn(now, by)
      return now.map((x) => {
        fft.inverseUnscaled(x, frame)
        return frame.slice(size / 2 - reach, size / 2 + reach)
      })
    },
    met(wanted) {
      const by = turns.by.slice(0, 2 * turns.count)
      for (let p = 0; p < turns.count; p++)
        if (!wanted(p)) {
          by[2 * p] = 1
          by[2 * p + 1] = 0
        }
      return { size, ends: Float32Array.from(turns.ends.subarray(0, turns.count)), by }
    },
    frequencies(place) {
      if (halved !== place) halve(place)
      return Float32Array.from({ length: turns.count }, (_, p) => {
        const bin = turns.peaks[p]! + besidePeak(room.halves.compared, p)
        return turns.peaks[p]! < FIRST ? 0 : (bin * source.sampleRate) / size
      })
    },
    turnFurther({ size: own, ends, by }) {
      const scale = own / size
      for (let p = 0, k = 0; p < turns.count && k < ends.length; p++) {
        while (k < ends.length && ends[k]! <= turns.peaks[p]! * scale) k++
        if (k < ends.length && by[2 * k] !== 1) rotate(turns.by, p, by[2 * k]!, by[2 * k + 1]!)
      }
    },
    analyse(place, pace) {
      const masked = take(place, now)
      if (masked) partial = OVERLAP
      run.addProduct(squared.byteOffset, (masked ? mask : ones).byteOffset, weight.byteOffset, size)
      findTurns(place, hop)
      // What is left of a masked frame says little of how its pitch glides.
      const untold = masked || beside.get(back) !== 0 || Math.abs(pace - 1) < LEAST_FASTER || pace > MOST_PACE
      gliding = untold ? 0 : findGlides(pace)
      paceNow = pace
      // A constant offset has no partner of negative frequency.
      const still = now.reduce((sum, x) => sum + 0.5 * x[0]! * x[0]!, 0)
      const total = run.dot(power.byteOffset, ones.byteOffset, size / 2) + still
      // Before the recording there is silence, which says nothing of its level; nor do parts.
      keeper.expect(masked || place < size / 2 ? NaN : (2 * total) / size)
    },
    add() {
      if (gliding) {
        bend(paceNow)
        turnNegative(room.bent, lows, turns)
      }
      goOn()
      sound(gliding ? room.bent : now)
      ;[now, previous] = [previous, now]
      finishHop()
    },
    give(mix, at, level) {
      const [start, rise] = [level * before, (level * (gain - before)) / hop]
      for (let c = 0; c < count; c++) {
        const s = sums[c]!
        if (start !== 1 || rise !== 0) run.ramp(s.byteOffset, start, rise, hop)
        mix.add(c, at, s, hop)
        shift(s)
      }
      shift(weight)
    },
    close: () => giveRoomBack(room, size, count),
  }
}
