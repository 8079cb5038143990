// Inner loops in WebAssembly with SIMD, over workspaces of their own memory.
import { BINARY } from './binary'

/** The compiled loops; see assembly/. Pointers are byte offsets of a workspace's arrays, counts are of floats. */
export interface Kernels {
  multiply(a: number, b: number, out: number, n: number): void
  energy(x: number, n: number): number
  accumulate(x: number, gain: number, out: number, n: number): void
  addProduct(a: number, b: number, out: number, n: number): void
  coarsen(x: number, n: number, by: number): void
  slide(still: number, moving: number, n: number, lags: number, products: number, energies: number): number
  interpolate(
    x: number,
    table: number,
    phases: number,
    taps: number,
    position: number,
    step: number,
    out: number,
    n: number,
    apart: number,
    outApart: number,
  ): void
  rise(a: number, b: number, n: number): number
  bends(x: number, size: number, sums: number, count: number): void
  widen(x: number, out: number, n: number): void
  logOnePlus(x: number, gain: number, n: number): void
  deinterleave(x: number, even: number, odd: number, n: number): void
  filter(x: number, taps: number, count: number, out: number, n: number): void
  halfBand(even: number, odd: number, taps: number, out: number, n: number): void
  reverse(x: number, out: number, n: number): void
  addPowers(spectrum: number, sums: number, half: number): void
  roots(x: number, gain: number, n: number): number
  bands(first: number, start: number, weights: number, count: number, magnitudes: number, out: number): void
  complexNovelty(now: number, one: number, two: number, bins: number): number
  raise(log: number, spectrum: number, out: number, half: number, push: number): number
  warpGains(envelope: number, factor: number, limit: number, half: number, gains: number): void
  center(x: number, span: number, width: number): number
  normalizedDifference(
    x: number,
    correlation: number,
    d: number,
    width: number,
    longest: number,
    energy: number,
  ): void
  nextMinimum(d: number, from: number, to: number, depth: number): number
  findTurns(
    now: number,
    back: number,
    previous: number,
    channels: number,
    half: number,
    power: number,
    peaks: number,
    ends: number,
    turns: number,
  ): number
  turnBins(now: number, channels: number, half: number, ends: number, turns: number, count: number): void
  findGlides(
    now: number,
    back: number,
    previous: number,
    channels: number,
    half: number,
    power: number,
    peaks: number,
    turns: number,
    count: number,
    faster: number,
    glides: number,
  ): number
  bendBins(
    now: number,
    out: number,
    channels: number,
    half: number,
    ends: number,
    turns: number,
    glides: number,
    count: number,
    faster: number,
  ): void
  compareParts(
    a: number,
    b: number,
    channels: number,
    half: number,
    peaks: number,
    ends: number,
    count: number,
    out: number,
  ): void
  correlate(x: number, y: number, n: number, lags: number, out: number): void
  dot(a: number, b: number, n: number): number
  ramp(x: number, start: number, rise: number, n: number): void
  divide(x: number, weight: number, least: number, n: number): void
  scaleAlong(x: number, gains: number, step: number, n: number): void
  peak(x: number, n: number): number
  predictionError(x: number, a: number, order: number, out: number, n: number): void
  undoPrediction(x: number, turned: number, order: number, n: number): void
  multiplyDoubles(a: number, b: number, out: number, n: number): void
  dotDoubles(a: number, b: number, n: number): number
  addDoubles(a: number, by: number, out: number, n: number): void
  phasors(cosines: number, sines: number, c: number, s: number, cs: number, ss: number, n: number): void
  blockPowers(
    left: number,
    right: number,
    block: number,
    count: number,
    emphasis: number,
    rows: number,
    stride: number,
  ): void
  runningSums(x: number, count: number): void
  slidingMeans(sums: number, count: number, span: number, out: number): void
  holdStep(
    cost: number,
    next: number,
    stays: number,
    pitches: number,
    count: number,
    at: number,
    spread: number,
    most: number,
    silent: number,
    floor: number,
    enter: number,
  ): void
  leastOf(x: number, n: number): number
  beatPath(
    score: number,
    back: number,
    reward: number,
    change: number,
    away: number,
    n: number,
    count: number,
    shortest: number,
    spread: number,
  ): void
}

/** Memory for the loops to work in: arrays are made once and live as long as it does. */
export interface Workspace {
  readonly run: Kernels
  /** `length` zeros, 16-byte aligned, with room for a vector more after them; their byteOffset is the pointer. */
  floats(length: number): Float32Array
  /** The same in double precision; `length` counts for twice as many floats. */
  doubles(length: number): Float64Array
  ints(values: Int32Array): Int32Array
  /** `length` bytes; they count for a quarter as many floats. */
  bytes(length: number): Uint8Array
  /** Gives all its room free again, with what was written left in it; false when it has less than that. */
  reuse(size: number, arrays: number): boolean
}

// The host's WebAssembly, as far as it is used here; core knows no host's types.
interface Host {
  readonly WebAssembly: {
    compile(bytes: Uint8Array): Promise<object>
    readonly Memory: new (size: { initial: number }) => { readonly buffer: ArrayBuffer }
    readonly Instance: new (module: object, imports: object) => { readonly exports: unknown }
  }
  atob(text: string): string
}
const host = globalThis as unknown as Host
const PAGE = 65536

let compiled: object | undefined

/** Compiles the loops; must have resolved before a workspace is made. */
export async function loadKernels(): Promise<void> {
  compiled ??= await host.WebAssembly.compile(Uint8Array.from(host.atob(BINARY), (c) => c.charCodeAt(0)))
}

const bytesFor = (size: number, arrays: number): number => 4 * size + 64 * arrays

/**
 * A workspace with room for a number of floats.
 *
 * @param size floats of all arrays together
 * @param arrays how many arrays at most, each of which may waste some room at its end
 * @throws Error when `loadKernels` has not finished, RangeError when an array does not fit
 */
export function workspace(size: number, arrays = 32): Workspace {
  if (!compiled) throw new Error('loadKernels() must finish before a workspace is made')
  const bytes = bytesFor(size, arrays)
  const memory = new host.WebAssembly.Memory({ initial: Math.ceil(bytes / PAGE) })
  const { exports } = new host.WebAssembly.Instance(compiled, { env: { memory } })
  // The first bytes stay free, so that no pointer is null.
  let next = 16
  const take = (length: number): number => {
    const at = next
    next += (4 * length + 47) & ~15
    return at
  }
  return {
    run: exports as Kernels,
    floats: (length) => new Float32Array(memory.buffer, take(length), length),
    doubles: (length) => new Float64Array(memory.buffer, take(2 * length), length),
    bytes: (length) => new Uint8Array(memory.buffer, take(Math.ceil(length / 4)), length),
    ints(values) {
      const out = new Int32Array(memory.buffer, take(values.length), values.length)
      out.set(values)
      return out
    },
    reuse(more, count) {
      next = 16
      return bytesFor(more, count) <= memory.buffer.byteLength
    },
  }
}

/**
 * Workspaces for work that is begun again and again, one at a time: the memory of the last is used again where it is
 * large enough. Every new one has loops of its own, for which compilers would have to begin anew.
 *
 * @returns what gives a workspace, as `workspace` does, its arrays all zeros
 */
export function workspaceAgain(): (size: number, arrays?: number) => Workspace {
  let room: Workspace | undefined
  return (size, arrays = 32) => {
    if (!room?.reuse(size, arrays)) return (room = workspace(size, arrays))
    // What lies between arrays too: loops may read a little beyond their end.
    room.bytes(bytesFor(size, arrays) - 16).fill(0)
    room.reuse(size, arrays)
    return room
  }
}
