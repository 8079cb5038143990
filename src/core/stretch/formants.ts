// Keeps the formants under transposition: pre-warps the spectral envelope, so that resampling puts it back.
import { realFft } from '../dsp/fft'
import { frameReader, magnitudes } from '../dsp/stft'
import { hann } from '../dsp/windows'
import type { Source, StretchSettings } from './types'

const WINDOW_SECONDS = 0.046
const OVERLAP = 4
/** Envelope detail: cepstral coefficients up to this quefrency, seconds (shorter than a voice's period). */
const QUEFRENCY = 0.0016
/** Most that a bin is raised or lowered, nepers. */
const LIMIT = 3

/** Smooth log spectral envelope by liftering the real cepstrum. */
function envelope(
  mags: Float32Array,
  size: number,
  keep: number,
  scratch: Float32Array,
  out: Float32Array,
): void {
  const fft = realFft(size)
  const half = size / 2
  let floor = 1e-9
  for (const m of mags) floor = Math.max(floor, m * 1e-5)
  scratch.fill(0)
  scratch[0] = Math.log(mags[0]! + floor)
  scratch[1] = Math.log(mags[half]! + floor)
  for (let k = 1; k < half; k++) scratch[2 * k] = Math.log(mags[k]! + floor)
  fft.inverse(scratch, out)
  for (let q = 1; q <= half; q++) {
    const w = q < keep ? 0.5 + 0.5 * Math.cos((Math.PI * q) / keep) : 0
    out[q]! *= w
    if (q < half) out[size - q]! *= w
  }
  fft.forward(out, scratch)
  out[0] = scratch[0]!
  out[half] = scratch[1]!
  for (let k = 1; k < half; k++) out[k] = scratch[2 * k]!
}

/**
 * The recording with its spectral envelope stretched along frequency by the pitch ratio, which transposing then
 * undoes; the recording itself when the formants are to move or nothing is transposed.
 *
 * Frames lie at fixed places of the recording and all channels share their gains, so that every part of the
 * result depends on the recording around it only.
 *
 * Source: A. Röbel & X. Rodet, "Efficient spectral envelope estimation and its application to pitch shifting and
 * envelope preservation", DAFx 2005 (cepstral smoothing).
 */
export function keepFormants(source: Source, settings: StretchSettings): Source {
  if (settings.pitch === 1 || settings.formants === 'move') return source
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * source.sampleRate))
  const half = size / 2
  const hop = size / OVERLAP
  const keep = Math.round(QUEFRENCY * source.sampleRate)
  const reader = frameReader(size)
  const fft = realFft(size)
  const window = hann(size)
  const length = source.channels[0]?.length ?? 0
  const out = source.channels.map(() => new Float32Array(length))
  const spectra = source.channels.map(() => new Float32Array(size))
  const mags = new Float32Array(half + 1)
  const sum = new Float32Array(half + 1)
  const [scratch, smooth, frame] = [new Float32Array(size), new Float32Array(size), new Float32Array(size)]
  for (let from = -size + hop; from < length; from += hop) {
    sum.fill(0)
    source.channels.forEach((x, c) => {
      reader.read(x, from, spectra[c]!)
      magnitudes(spectra[c]!, mags)
      for (let k = 0; k <= half; k++) sum[k]! += mags[k]! * mags[k]!
    })
    for (let k = 0; k <= half; k++) mags[k] = Math.sqrt(sum[k]!)
    envelope(mags, size, keep, scratch, smooth)
    spectra.forEach((s, c) => {
      for (let k = 0; k < half; k++) {
        const at = k * settings.pitch
        const lower = Math.min(half - 1, Math.floor(at))
        const wanted = smooth[lower]! + Math.min(1, at - lower) * (smooth[lower + 1]! - smooth[lower]!)
        const gain = Math.exp(Math.max(-LIMIT, Math.min(LIMIT, wanted - smooth[k]!)))
        s[2 * k]! *= gain
        if (k > 0) s[2 * k + 1]! *= gain
      }
      fft.inverse(s, frame)
      const o = out[c]!
      const to = Math.min(size, length - from)
      for (let i = Math.max(0, -from); i < to; i++) o[from + i]! += (frame[i]! * window[i]!) / 1.5
    })
  }
  return { sampleRate: source.sampleRate, channels: out }
}
