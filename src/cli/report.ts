// What every rendering command tells on stderr.
import { lengthOf, type AudioData } from '../core/audio/buffer'

/** Sums up the time spent in analysis and stretching only. */
export class Stopwatch {
  private total = 0
  measure<T>(work: () => T): T {
    const start = performance.now()
    const result = work()
    this.total += performance.now() - start
    return result
  }
  report(audio: AudioData): void {
    this.reportSeconds(lengthOf(audio) / audio.sampleRate)
  }
  reportSeconds(length: number): void {
    process.stderr.write(`processed ${length.toFixed(3)} s of audio in ${(this.total / 1000).toFixed(3)} s\n`)
  }
}

/**
 * Says so when a result peaks past full scale in a format that is cut there, or a decibel or more above the recording.
 *
 * @param was peak of the recording, linear; @param is that of the result
 */
export function warnOfPeak(was: number, is: number, bits: string): void {
  if (!warnOfClipping('The result', is, bits) && is > was * 10 ** (1 / 20))
    process.stderr.write(
      `The result peaks ${(20 * Math.log10(is / was)).toFixed(1)} dB above the recording.\n`,
    )
}

/** Says so when something peaks past full scale in a format that is cut there. @returns whether it did */
export function warnOfClipping(what: string, peak: number, bits: string): boolean {
  if (peak <= 1 || bits === '32f') return false
  process.stderr.write(
    `${what} peaks ${(20 * Math.log10(peak)).toFixed(1)} dB above full scale and was cut there; write it with --bits 32f to keep it whole.\n`,
  )
  return true
}
