// Work on all attacks or events of a recording that a worker does with the help of others.
import type { ProxyMarked, Remote } from 'comlink'
import { laterOf } from '../../core/analysis/events'
import { placesOf } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { claimable, doFree, othersIn, type Claims } from './claims'
import type { Help, Shared, SharedWork } from './tasks'

/** Attacks or events in a piece of the work. */
export const TOGETHER = 32
/** The number of whoever asks for help. */
const ASKING = 1

const DO: {
  [W in SharedWork]: (
    audio: AudioData,
    list: readonly Shared[W]['of'][],
    check: () => void,
  ) => Shared[W]['made'][]
} = {
  places: ({ channels, sampleRate }, list, check) => placesOf(list, channels, sampleRate, check),
  later: ({ channels, sampleRate }, list, check) => laterOf(list, channels, sampleRate, check),
}

/** What is made of the pieces that are free, by piece. @param who claims them; @param check throws to cancel */
export const shareOf = <W extends SharedWork>(
  work: W,
  audio: AudioData,
  list: readonly Shared[W]['of'][],
  claims: Claims,
  who: number,
  check: () => void,
): Promise<Map<number, Shared[W]['made'][]>> =>
  doFree(claims, who, (piece) => DO[work](audio, list.slice(piece * TOGETHER, (piece + 1) * TOGETHER), check))

/**
 * Does all of some work, together with what other workers become free meanwhile.
 *
 * @param help null where nobody can; @param check throws to cancel
 * @returns one thing for each entry of the list, in its order
 */
export async function together<W extends SharedWork>(
  work: W,
  audio: AudioData,
  list: readonly Shared[W]['of'][],
  help: Remote<Help & ProxyMarked> | null,
  check: () => void,
): Promise<Shared[W]['made'][]> {
  const claims = help && claimable(Math.ceil(list.length / TOGETHER))
  if (!claims) return DO[work](audio, list, check)
  void help.begin(work, list, claims)
  const done: Map<number, readonly Shared[W]['made'][]> = await shareOf(
    work,
    audio,
    list,
    claims,
    ASKING,
    check,
  )
  // Only from those who have begun: two that wait for each other's beginning would wait for ever.
  for (const who of othersIn(claims, ASKING))
    for (const [piece, made] of await help.from(work, who)) done.set(piece, made)
  return [...claims.keys()].flatMap((piece) => done.get(piece)!)
}
