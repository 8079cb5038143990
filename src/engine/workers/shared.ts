// Samples in memory that workers share.

/** Memory that workers share where the page is isolated, else the same array, which is copied to them. */
export function sharedCopy(x: Float32Array): Float32Array {
  if (typeof SharedArrayBuffer === 'undefined' || x.buffer instanceof SharedArrayBuffer) return x
  const out = new Float32Array(new SharedArrayBuffer(x.byteLength))
  out.set(x)
  return out
}
