// A picture's value waits for the player, and what it is made from is not touched before.
import { describe, expect, it, vi } from 'vitest'
import { effectScope, ref } from 'vue'
import { afterSound } from './after-sound'

const { waiting, state } = vi.hoisted(() => ({ waiting: new Set<() => void>(), state: { changing: false } }))
vi.mock('../stores/services', () => ({
  playback: { afterChange: (work: () => void) => (state.changing ? waiting.add(work) : work()) },
}))
const turn = (): Promise<void> => new Promise((done) => setTimeout(done, 0))

describe('a value after the sound', () => {
  it('follows at once while nothing changes in the player, and once for many changes after one is heard', async () => {
    const session = ref(1)
    const source = vi.fn(() => 10 * session.value)
    const scope = effectScope()
    const shown = scope.run(() => afterSound(source))!
    expect(shown.value).toBe(10)
    session.value = 2
    await turn()
    expect(shown.value).toBe(20)
    state.changing = true
    session.value = 3
    session.value = 4
    await turn()
    expect(shown.value).toBe(20)
    expect(source).toHaveBeenCalledTimes(2)
    for (const work of waiting) work()
    expect(shown.value).toBe(40)
    expect(source).toHaveBeenCalledTimes(3)
    session.value = 5
    scope.stop()
    await turn()
    for (const work of waiting) work()
    expect(source).toHaveBeenCalledTimes(3)
  })
})
