// The list of actions, and the keys that run them.
import { useEventListener } from '@vueuse/core'
import { defineStore } from 'pinia'
import { tinykeys } from 'tinykeys'
import type { Router } from 'vue-router'
import { router } from '../router'
import { useMessages } from '../stores/messages'
import { sessionActions } from './session-actions'
import { tempoActions } from './tempo-actions'
import { timingActions } from './timing-actions'
import { transportActions } from './transport-actions'
import type { Action } from './types'

export const useActions = defineStore('actions', () => {
  const messages = useMessages()
  const list: readonly Action[] = [
    ...sessionActions(router as Router),
    ...transportActions(),
    ...tempoActions(router as Router),
    ...timingActions(),
  ]
  const byId = new Map(list.map((a) => [a.id, a]))

  function get(id: string): Action {
    const found = byId.get(id)
    if (!found) throw new Error(`No action ${id}`)
    return found
  }

  /** Runs an action if it can be run now. */
  function run(id: string): void {
    const action = get(id)
    if (action.enabled()) void messages.attempt(() => action.run())
  }

  return { list, get, run }
})

const TEXT =
  'input:not([type=radio], [type=checkbox], [type=range], [type=button]), textarea, [contenteditable=true]'
/** What acts on Space, Enter or arrow keys by itself once the keyboard has reached it. */
const CONTROL =
  'button, a[href], input, [role=slider], [role=radio], [role=option], [role=menuitem], [role=tab], [role=separator], [role=listbox], [aria-haspopup]'
const OWN_KEYS = /^(Space|Enter|Arrow|Home|End|Page)/

/** True when a key belongs to the control that has the focus: typed into it, or reached by keyboard and acting on it. */
function belongs(e: KeyboardEvent): boolean {
  const el = e.target
  if (!(el instanceof HTMLElement)) return false
  if (el.matches(TEXT)) return true
  if (el.closest('[role=dialog], [role=menu]') && OWN_KEYS.test(e.code)) return true
  return OWN_KEYS.test(e.code) && !e.altKey && el.closest(CONTROL)?.matches(':focus-visible') === true
}

/** Binds every shortcut to the window. @returns a function that takes them off again */
export function bindShortcuts(actions: ReturnType<typeof useActions>): () => void {
  const bindings: Record<string, (e: KeyboardEvent) => void> = {}
  for (const a of actions.list)
    if (a.shortcut)
      bindings[a.shortcut] = (e) => {
        if (belongs(e) || !a.enabled()) return
        e.preventDefault()
        actions.run(a.id)
      }
  // What was just used with the pointer gives the keys back to the desk, so that Space plays.
  const release = useEventListener(window, 'pointerup', () => {
    setTimeout(() => {
      const el = document.activeElement
      if (
        el instanceof HTMLElement &&
        el.matches(CONTROL) &&
        !el.matches(TEXT) &&
        !el.matches(':focus-visible')
      )
        el.blur()
    })
  })
  const unbind = tinykeys(window, bindings)
  return () => {
    unbind()
    release()
  }
}

const NAMES: Record<string, string> = {
  Space: 'Space',
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  Equal: '+',
  Minus: '−',
  Escape: 'Esc',
  Delete: 'Del',
  BracketRight: ']',
  BracketLeft: '[',
}

/** A shortcut as it is shown: `$mod+Shift+KeyZ` → "Ctrl Shift Z" (or ⌘ on Apple keyboards). */
export function shortcutText(shortcut: string): string {
  const apple = /Mac|iPhone|iPad/.test(navigator.platform)
  if (shortcut === 'Shift+?') return '?'
  return shortcut
    .split('+')
    .map((k) => (k === '$mod' ? (apple ? '⌘' : 'Ctrl') : (NAMES[k] ?? k.replace(/^(Key|Digit)/, ''))))
    .join(' ')
}
