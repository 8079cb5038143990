// What the tests take for equal.
import { expect, it } from 'vitest'

it('typed arrays are equal where their kind, their length and every value are', () => {
  const x = new Float32Array([0, NaN, 0.5])
  expect({ x: [x] }).toEqual({ x: [x.slice()] })
  for (const other of [
    [0, NaN],
    [0, NaN, 0.5, 0],
    [-0, NaN, 0.5],
    [0, NaN, 0.25],
    [0, 1, 0.5],
  ]) {
    expect(x).not.toEqual(new Float32Array(other))
    expect({ x: [x] }).not.toEqual({ x: [new Float32Array(other)] })
  }
  expect(x).not.toEqual(new Float64Array(x))
})
