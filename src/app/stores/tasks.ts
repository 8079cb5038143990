// Long work that is under way: what, how far, and how to cancel it.
import { defineStore } from 'pinia'
import { ref } from 'vue'

export interface Task {
  readonly id: number
  label: string
  /** 0-1, or null when it cannot be told. */
  done: number | null
  readonly cancel: () => void
}

/** Progress is shown so often, milliseconds: whenever it changes, the page is drawn again. */
const SHOWN_EVERY = 200

/** Calls with the first value at once, then with the latest at even times. */
function seldom(show: (value: number) => void): { tell: (value: number) => void; stop: () => void } {
  let waiting: number | undefined
  let timer: ReturnType<typeof setTimeout> | undefined
  const tell = (value: number): void => {
    if (timer !== undefined) {
      waiting = value
      return
    }
    show(value)
    timer = setTimeout(() => {
      timer = undefined
      const next = waiting
      waiting = undefined
      if (next !== undefined) tell(next)
    }, SHOWN_EVERY)
  }
  return { tell, stop: () => clearTimeout(timer) }
}

export const useTasks = defineStore('tasks', () => {
  const list = ref<Task[]>([])
  let next = 1

  /**
   * Runs work that is shown with its progress and can be cancelled.
   *
   * @param work given a function that tells the share done, a signal that fires on cancel, and a function that says
   *             anew what is being done
   */
  async function run<T>(
    label: string,
    work: (
      progress: (done: number) => void,
      signal: AbortSignal,
      relabel: (label: string) => void,
    ) => Promise<T>,
  ): Promise<T> {
    const abort = new AbortController()
    const id = next++
    list.value.push({ id, label, done: null, cancel: () => abort.abort() })
    const { tell, stop } = seldom((done) => {
      const task = list.value.find((t) => t.id === id)
      if (task) task.done = done
    })
    try {
      const relabel = (now: string): void => {
        const task = list.value.find((t) => t.id === id)
        if (task) task.label = now
      }
      return await work(tell, abort.signal, relabel)
    } finally {
      stop()
      list.value = list.value.filter((t) => t.id !== id)
    }
  }

  return { list, run }
})
