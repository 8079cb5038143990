// Pictures of the whole session wait while a change is on its way to the player.
import { onScopeDispose, shallowRef, watch, type ShallowRef, type WatchSource } from 'vue'
import { playback } from '../stores/services'

/** A value that follows its source, but only after a change is heard when one is being made while playing. */
export function afterSound<T>(source: WatchSource<T> & (() => T)): Readonly<ShallowRef<T>> {
  const shown = shallowRef(source()) as ShallowRef<T>
  let gone = false
  const take = (): void => {
    if (!gone) shown.value = source()
  }
  watch(source, () => playback.afterChange(take), { flush: 'sync' })
  onScopeDispose(() => (gone = true))
  return shown
}
