// What stretching does to a stereo image, against the original's: levels and phases between channels, and the mono sum.
import { frameReader } from '../../tests/support/frames'
import { bandPiece } from '../corpus/pieces'

const SIZE = 4096
/** Third-octave bands from 63 Hz to 12.5 kHz. Source: IEC 61260-1:2014 (exact mid-band frequencies to the base of 10). */
const BANDS = Array.from({ length: 24 }, (_, i) => 1000 * 10 ** ((i - 12) / 10))
const HALF_BAND = 10 ** 0.05
/** Bands this far below the loudest are not heard beside it, dB. */
const QUIET = -40
/** Channels that agree less than this have no phase between them. */
const AGREE = 0.5

/** Powers of the left, the right and the sum of both, and their cross-spectrum, in a band of a frame. */
type Cell = readonly [left: number, right: number, mono: number, re: number, im: number]

/** Opens a reader of frames in bands. */
function cells([left, right]: readonly Float32Array[], rate: number): (center: number) => Cell[] {
  const reader = frameReader(SIZE)
  const [l, r] = [new Float32Array(SIZE), new Float32Array(SIZE)]
  const band = Array.from({ length: SIZE / 2 }, (_, k) =>
    BANDS.findIndex((hz) => Math.abs(Math.log((k * rate) / SIZE / hz)) <= Math.log(HALF_BAND)),
  )
  return (center) => {
    reader.read(left!, Math.round(center) - SIZE / 2, l)
    reader.read(right!, Math.round(center) - SIZE / 2, r)
    const out = BANDS.map(() => [1e-20, 1e-20, 1e-20, 0, 0])
    for (let k = 1; k < SIZE / 2; k++) {
      const cell = out[band[k]!]
      if (!cell) continue
      const [a, b, c, d] = [l[2 * k]!, l[2 * k + 1]!, r[2 * k]!, r[2 * k + 1]!]
      cell[0]! += a * a + b * b
      cell[1]! += c * c + d * d
      cell[2]! += (a + c) ** 2 + (b + d) ** 2
      cell[3]! += a * c + b * d
      cell[4]! += b * c - a * d
    }
    return out as unknown as Cell[]
  }
}

export interface ImageChange {
  /** Level difference of the channels, dB. */
  readonly level: number
  /** Level of the mono sum against that of the channels, dB. */
  readonly mono: number
  /** Phase difference of the channels, degrees. */
  readonly phase: number
}

/**
 * How far an output's image is from the original's in the band where it is farthest: means over frames and the frames
 * that a constant ratio puts under them, by the original's power, as what lasts longer or shorter is no change of the
 * image.
 */
export function imageChange(
  original: readonly Float32Array[],
  output: readonly Float32Array[],
  rate: number,
  ratio: number,
): ImageChange {
  const [before, after] = [cells(original, rate), cells(output, rate)]
  const sums = BANDS.map(() => ({ power: 0, level: 0, mono: 0, agreed: 0, re: 0, im: 0 }))
  for (let center = SIZE; center + SIZE < output[0]!.length; center += SIZE / 4) {
    const [x, y] = [before(center / ratio), after(center)]
    sums.forEach((s, i) => {
      const [a, b] = [x[i]!, y[i]!]
      const power = a[0] + a[1]
      s.power += power
      s.level += power * 10 * Math.log10(b[0] / b[1] / (a[0] / a[1]))
      s.mono += power * 10 * Math.log10(b[2] / (b[0] + b[1]) / (a[2] / power))
      if (Math.hypot(a[3], a[4]) < AGREE * Math.sqrt(a[0] * a[1])) return
      const turn = Math.atan2(b[4], b[3]) - Math.atan2(a[4], a[3])
      s.agreed += power
      s.re += power * Math.cos(turn)
      s.im += power * Math.sin(turn)
    })
  }
  const top = Math.max(...sums.map((s) => s.power))
  const heard = sums.filter((s) => 10 * Math.log10(s.power / top) > QUIET)
  return {
    level: Math.max(...heard.map((s) => Math.abs(s.level) / s.power)),
    mono: Math.max(...heard.map((s) => Math.abs(s.mono) / s.power)),
    phase: Math.max(
      ...heard
        .filter((s) => s.agreed > AGREE * s.power)
        .map((s) => (180 / Math.PI) * Math.abs(Math.atan2(s.im, s.re))),
    ),
  }
}

/** Guitar, piano, drums with bass: gains to the left and right, and samples by which they come later to the left. */
const SEATS = [
  [1, 0.4, 0],
  [0.5, 1, 19],
  [0.7, 0.7, 0],
] as const

/** A guitar to the left, a piano to the right that comes a little later to the other ear, drums and bass in the middle. */
export function stereoPiece(): { readonly channels: readonly Float32Array[]; readonly sampleRate: number } {
  const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, tune: null } as const
  const parts = [
    bandPiece('guitar', { ...plan, groove: null, chords: 'guitar', bass: false }, 61),
    bandPiece('piano', { ...plan, groove: null, chords: 'piano', bass: false }, 61),
    bandPiece('rhythm', { ...plan, groove: 'busy', chords: null, bass: true }, 61),
  ]
  const length = Math.max(...parts.map((p) => p.channels[0]!.length))
  const channels = [new Float32Array(length), new Float32Array(length)] as const
  parts.forEach((p, i) => {
    const [left, right, late] = SEATS[i]!
    p.channels[0]!.forEach((v, n) => {
      channels[0][n + late]! += left * v
      channels[1][n]! += right * v
    })
  })
  return { channels, sampleRate: parts[0]!.sampleRate }
}
