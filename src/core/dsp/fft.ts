// Real FFT behind one small interface; PFFFT (WebAssembly, SIMD) does the work.
import createPffft, { type PffftModule } from '@echogarden/pffft-wasm/simd'
import { loadKernels } from './kernels/kernels'

/**
 * A real transform of one size.
 *
 * Spectra are packed in `size` floats: [Re 0, Re N/2, Re 1, Im 1, Re 2, Im 2, … Re N/2-1, Im N/2-1].
 * Forward is unscaled; inverse divides by the size, so inverse(forward(x)) = x.
 */
export interface RealFft {
  readonly size: number
  /** @param time `size` real samples; @param spectrum receives `size` packed floats */
  forward(time: Float32Array, spectrum: Float32Array): void
  /** @param spectrum `size` packed floats; @param time receives `size` real samples */
  inverse(spectrum: Float32Array, time: Float32Array): void
  /** The same, times the size. */
  inverseUnscaled(spectrum: Float32Array, time: Float32Array): void
  /** Circular convolution of two signals. @param a, b, out `size` real samples each */
  convolve(a: Float32Array, b: Float32Array, out: Float32Array): void
}

let pffft: PffftModule | undefined
let loading: Promise<void> | undefined
const plans = new Map<number, RealFft>()

/**
 * Loads the transform and the inner loops; must have resolved before `realFft` or `workspace` is called. Idempotent.
 *
 * @param wasmBinary the module's bytes, where the host cannot find them by itself
 */
export function loadFft(wasmBinary?: ArrayBuffer): Promise<void> {
  loading ??= Promise.all([createPffft(wasmBinary ? { wasmBinary } : {}), loadKernels()]).then(([m]) => {
    pffft = m
  })
  return loading
}

/** Smallest power of two that is at least n. */
export const nextPowerOfTwo = (n: number): number => 2 ** Math.ceil(Math.log2(Math.max(1, n)))

/** Smallest size that `realFft` supports and that is at least n: a multiple of 32 of the form 2^a 3^b 5^c. */
export function fftSize(n: number): number {
  for (let size = 32 * Math.max(1, Math.ceil(n / 32)); ; size += 32) {
    let rest = size / 32
    for (const p of [2, 3, 5]) while (rest % p === 0) rest /= p
    if (rest === 1) return size
  }
}

/**
 * The transform of a given size; plans are kept and shared.
 *
 * @param size a multiple of 32 of the form 2^a 3^b 5^c
 * @throws Error when `loadFft` has not finished or the size is not supported
 * Source: J. Pommier, PFFFT, after P. N. Swarztrauber's FFTPACK.
 */
export function realFft(size: number): RealFft {
  const known = plans.get(size)
  if (known) return known
  if (!pffft) throw new Error('loadFft() must finish before an FFT is used')
  const m = pffft
  const setup = m._pffft_new_setup(size, 0)
  if (!setup) throw new Error(`No FFT of size ${size}`)
  const a = m._pffft_aligned_malloc(size * 4)
  const b = m._pffft_aligned_malloc(size * 4)
  const work = m._pffft_aligned_malloc(size * 4)
  let sum = 0
  const view = (at: number): Float32Array => new Float32Array(m.HEAPF32.buffer, at, size)
  let [into, outOf] = [view(a), view(b)]
  const run = (input: Float32Array, output: Float32Array, direction: 0 | 1, scale: number): void => {
    // The module's memory moves when it grows.
    if (into.length === 0) [into, outOf] = [view(a), view(b)]
    into.set(input.length === size ? input : input.subarray(0, size))
    m._pffft_transform_ordered(setup, a, b, work, direction)
    if (scale === 1) output.set(outOf)
    else for (let i = 0; i < size; i++) output[i] = outOf[i]! * scale
  }
  const convolve = (x: Float32Array, y: Float32Array, out: Float32Array): void => {
    sum ||= m._pffft_aligned_malloc(size * 4)
    if (into.length === 0) [into, outOf] = [view(a), view(b)]
    into.set(x)
    m._pffft_transform(setup, a, a, work, 0)
    outOf.set(y)
    m._pffft_transform(setup, b, b, work, 0)
    const total = view(sum).fill(0)
    m._pffft_zconvolve_accumulate(setup, a, b, sum, 1 / size)
    m._pffft_transform(setup, sum, sum, work, 1)
    out.set(total)
  }
  const plan: RealFft = {
    size,
    forward: (time, spectrum) => run(time, spectrum, 0, 1),
    inverse: (spectrum, time) => run(spectrum, time, 1, 1 / size),
    inverseUnscaled: (spectrum, time) => run(spectrum, time, 1, 1),
    convolve,
  }
  plans.set(size, plan)
  return plan
}
