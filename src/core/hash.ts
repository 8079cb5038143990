// Content hashes: of samples, to know a recording by, and of descriptions, to cache what is made from them.

/** Two independent 32-bit lanes of multiply-xorshift (after the constants of MurmurHash3, public domain). */
function lanes(words: ArrayLike<number>, seed: number): [number, number] {
  let a = 0x9e3779b9 ^ seed
  let b = 0x85ebca6b ^ Math.imul(seed, 0x27d4eb2f)
  for (let i = 0; i < words.length; i++) {
    const w = words[i]!
    a = Math.imul(a ^ w, 0xcc9e2d51)
    a ^= a >>> 15
    b = Math.imul(b ^ Math.imul(w, 0x1b873593), 0xc2b2ae35)
    b ^= b >>> 13
  }
  return [a >>> 0, b >>> 0]
}

const hex = (n: number): string => n.toString(16).padStart(8, '0')

/** 64-bit hash of a text, as 16 hexadecimal digits. */
export function hashText(text: string): string {
  const codes = new Uint16Array(text.length)
  for (let i = 0; i < text.length; i++) codes[i] = text.charCodeAt(i)
  const [a, b] = lanes(codes, text.length)
  return hex(a) + hex(b)
}

/** Both lanes of one channel, of which the hash of the whole is made. */
export type ChannelHash = readonly [number, number]
export const hashChannel = (x: Float32Array): ChannelHash =>
  lanes(new Int32Array(x.buffer, x.byteOffset, x.length), x.length)

/** The hash of audio whose channels have been hashed. */
export const hashOf = (channels: readonly ChannelHash[], sampleRate: number): string =>
  hashText(JSON.stringify([sampleRate, channels]))

/** 64-bit hash of planar audio with its rate, as 16 hexadecimal digits: equal samples, equal hash. */
export const hashAudio = (channels: readonly Float32Array[], sampleRate: number): string =>
  hashOf(channels.map(hashChannel), sampleRate)
