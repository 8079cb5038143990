// Pictures of the session wait while a change is on its way to the player.
import { effect, onScopeDispose, shallowRef, type ShallowRef } from 'vue'
import { playback } from '../stores/services'

/**
 * A value that follows its source, but only after a change is heard when one is being made while playing. What it
 * is made from is not even looked at before.
 */
export function afterSound<T>(source: () => T): Readonly<ShallowRef<T>> {
  const shown = shallowRef() as ShallowRef<T>
  const following = effect(() => void (shown.value = source()), {
    // Not before all that hangs on the same change has been told of it, the player above all.
    scheduler: () => queueMicrotask(() => playback.afterChange(take)),
  })
  const take = (): void => {
    if (following.effect.dirty) following()
  }
  onScopeDispose(() => following.effect.stop())
  return shown
}
