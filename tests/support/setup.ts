// Before unit tests: the FFT's module is loaded, and typed arrays are compared in a loop, not property by property.
import { expect } from 'vitest'
import { loadFft } from '../../src/core/dsp/fft'

type Typed = Float32Array | Float64Array | Uint8Array | Int32Array

const isTyped = (x: unknown): x is Typed => ArrayBuffer.isView(x) && !(x instanceof DataView)

expect.addEqualityTesters([
  (a: unknown, b: unknown): boolean | undefined => {
    if (!isTyped(a) || !isTyped(b)) return undefined
    return a.constructor === b.constructor && a.length === b.length && a.every((v, i) => Object.is(v, b[i]))
  },
])

await loadFft()
