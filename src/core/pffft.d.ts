declare module '@echogarden/pffft-wasm/simd' {
  /** The parts of the emscripten module that dsp/fft.ts uses. */
  export interface PffftModule {
    HEAPF32: Float32Array
    _pffft_new_setup(size: number, kind: 0 | 1): number
    _pffft_aligned_malloc(bytes: number): number
    _pffft_transform(setup: number, input: number, output: number, work: number, direction: 0 | 1): void
    _pffft_zconvolve_accumulate(setup: number, a: number, b: number, sum: number, scale: number): void
    _pffft_transform_ordered(
      setup: number,
      input: number,
      output: number,
      work: number,
      direction: 0 | 1,
    ): void
  }
  const create: (options?: Record<string, unknown>) => Promise<PffftModule>
  export default create
}
