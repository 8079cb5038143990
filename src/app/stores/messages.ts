// Messages to the person: one sentence each, some with a way back.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { Cancelled, InputError } from '../../core/errors'

export interface Message {
  readonly id: number
  readonly kind: 'info' | 'error'
  readonly text: string
  readonly undo?: () => void
}

const SHOWN = { info: 6000, error: 12000 }

export const useMessages = defineStore('messages', () => {
  const list = ref<Message[]>([])
  let next = 1

  function dismiss(id: number): void {
    list.value = list.value.filter((m) => m.id !== id)
  }

  function say(text: string, kind: Message['kind'] = 'info', undo?: () => void): void {
    if (list.value.some((m) => m.text === text)) return
    const id = next++
    list.value = [...list.value.slice(-4), undo ? { id, kind, text, undo } : { id, kind, text }]
    setTimeout(() => dismiss(id), SHOWN[kind])
  }

  /** Tells of an error in words; a cancellation is nobody's error. */
  function report(e: unknown): void {
    if (e instanceof Cancelled) return
    if (e instanceof InputError) say(e.message, 'error')
    else {
      console.error(e)
      say(
        'Something went wrong inside Unwarp; your session is as it was. Reload the page if it goes on.',
        'error',
      )
    }
  }

  /** Does something; an error becomes a message. @returns whether it went well */
  async function attempt(work: () => unknown): Promise<boolean> {
    try {
      await work()
      return true
    } catch (e) {
      report(e)
      return false
    }
  }

  return { list, say, dismiss, report, attempt }
})
