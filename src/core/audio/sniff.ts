// Reads the sampling rate out of compressed files' headers, so that they can be decoded at their own rate.

const text = (b: Uint8Array, at: number, n: number): string => String.fromCharCode(...b.subarray(at, at + n))

/** FLAC STREAMINFO: 20 bits at byte 18 (RFC 9639, section 8.2). */
function flacRate(b: Uint8Array): number | undefined {
  if (text(b, 0, 4) !== 'fLaC' || b.length < 21) return undefined
  return (b[18]! << 12) | (b[19]! << 4) | (b[20]! >> 4)
}

/** Ogg: Vorbis identification header (Vorbis I, section 4.2.2); Opus always decodes at 48 kHz (RFC 7845). */
function oggRate(b: Uint8Array): number | undefined {
  if (text(b, 0, 4) !== 'OggS') return undefined
  const at = 27 + (b[26] ?? 0)
  if (text(b, at, 8) === 'OpusHead') return 48000
  if (text(b, at + 1, 6) === 'vorbis' && b.length >= at + 16)
    return new DataView(b.buffer, b.byteOffset).getUint32(at + 12, true)
  if (text(b, at + 1, 4) === 'FLAC') return flacRate(b.subarray(at + 9))
  return undefined
}

/** MPEG audio: the first frame header after an ID3v2 tag (ISO/IEC 11172-3, 2.4.2.3; ID3v2.4 section 3.1). */
function mpegRate(b: Uint8Array): number | undefined {
  let at = 0
  if (text(b, 0, 3) === 'ID3' && b.length > 10)
    at = 10 + ((b[6]! << 21) | (b[7]! << 14) | (b[8]! << 7) | b[9]!)
  for (const end = Math.min(b.length - 4, at + 8192); at < end; at++) {
    if (b[at] !== 0xff || (b[at + 1]! & 0xe0) !== 0xe0) continue
    const version = (b[at + 1]! >> 3) & 3
    const layer = (b[at + 1]! >> 1) & 3
    const index = (b[at + 2]! >> 2) & 3
    if (version === 1 || layer === 0 || index === 3 || b[at + 2]! >> 4 === 15) continue
    return [44100, 48000, 32000][index]! / (version === 3 ? 1 : version === 2 ? 2 : 4)
  }
  return undefined
}

/** MP4/M4A: rate of the first `mp4a` or `alac` sample entry (ISO/IEC 14496-12, 12.2.3: 16.16 fixed point). */
function mp4Rate(b: Uint8Array): number | undefined {
  if (text(b, 4, 4) !== 'ftyp') return undefined
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength)
  for (let at = 0; at + 32 < b.length; at++) {
    if (b[at] !== 0x6d && b[at] !== 0x61) continue
    const name = text(b, at, 4)
    if (name !== 'mp4a' && name !== 'alac') continue
    const rate = v.getUint32(at + 28) / 65536
    if (rate >= 8000 && rate <= 192000) return Math.round(rate)
  }
  return undefined
}

/**
 * Sampling rate stated in a FLAC, Ogg (Vorbis, Opus, FLAC), MP3 or MP4 file's header.
 *
 * @returns Hz, or undefined when the file is none of them or states none
 */
export function statedRate(bytes: Uint8Array): number | undefined {
  const rate = flacRate(bytes) ?? oggRate(bytes) ?? mp4Rate(bytes) ?? mpegRate(bytes)
  return rate !== undefined && rate >= 3000 && rate <= 768000 ? rate : undefined
}
