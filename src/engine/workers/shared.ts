// Samples in memory that workers share.

/** New memory that workers share where the page is isolated, else of this thread alone. */
export const sharedMemory = (length: number): Float32Array =>
  typeof SharedArrayBuffer === 'undefined'
    ? new Float32Array(length)
    : new Float32Array(new SharedArrayBuffer(4 * length))

/** Memory that workers share where the page is isolated, else the same array, which is copied to them. */
export function sharedCopy(x: Float32Array): Float32Array {
  if (typeof SharedArrayBuffer === 'undefined' || x.buffer instanceof SharedArrayBuffer) return x
  const out = sharedMemory(x.length)
  out.set(x)
  return out
}
