// Partials that sound in two bands of a vocoder: both turn them alike, else they would drift apart and cancel.
import type { Layer } from './layer'
import type { Turns } from './layer-room'
import { TRANSITION } from './bands'

/** Index of the peak that a bin turns with; the peaks' ends rise. */
function regionOf({ ends, count }: Turns, bin: number): number {
  let [low, high] = [0, count - 1]
  while (low < high) {
    const mid = (low + high) >> 1
    if (ends[mid]! > bin) high = mid
    else low = mid + 1
  }
  return low
}

function follow(own: Turns, p: number, other: Turns, q: number): void {
  own.by[2 * p] = other.by[2 * q]!
  own.by[2 * p + 1] = other.by[2 * q + 1]!
}

/**
 * Where two bands part, lets every partial turn as it does in the band that has more of it: the lower band's turns hold
 * below the cutoff, the higher's above. Which side a partial is on is told by the lower band's longer frames.
 *
 * A turn is the angle between what sounds and the recording around one place, so it means the same in frames of any
 * length.
 *
 * @param cutoff Hz; @param rate samples per second
 */
export function followEachOther(low: Layer, high: Layer, cutoff: number, rate: number): void {
  const [a, b] = [low.turns, high.turns]
  if (a.count === 0 || b.count === 0) return
  const longer = low.size / high.size
  const parting = (cutoff * low.size) / rate
  const reach = (TRANSITION * low.size) / rate
  const inBoth = (bin: number): boolean => Math.abs(bin - parting) <= reach
  for (let p = regionOf(b, Math.floor((parting - reach) / longer)); p < b.count; p++) {
    const bin = b.peaks[p]! * longer
    if (bin > parting + reach) break
    const q = regionOf(a, Math.round(bin))
    if (inBoth(bin) && a.peaks[q]! < parting) follow(b, p, a, q)
  }
  for (let q = regionOf(a, Math.floor(parting)); q < a.count; q++) {
    const bin = a.peaks[q]!
    if (bin > parting + reach) break
    if (bin >= parting) follow(a, q, b, regionOf(b, Math.round(bin / longer)))
  }
}
