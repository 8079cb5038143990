// Samples as blobs, which the browser writes to disk without passing them through the page again.

/** Each channel's samples as a blob of 32-bit floats; shared memory is copied first, as blobs take none. */
export const packed = (channels: readonly Float32Array[]): Blob[] =>
  channels.map((c) => new Blob([c.slice() as Float32Array<ArrayBuffer>]))

/** The samples of a channel that was kept. */
export const unpacked = async (kept: Blob | Float32Array): Promise<Float32Array> =>
  kept instanceof Float32Array ? kept : new Float32Array(await kept.arrayBuffer())
