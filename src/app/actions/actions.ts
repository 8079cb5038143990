// The list of actions, and the keys that run them.
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

/** True when keys belong to a text field or another control that reads them. */
const typing = (e: KeyboardEvent): boolean =>
  e.target instanceof HTMLElement &&
  (e.target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(e.target.tagName)) &&
  !(
    e.target instanceof HTMLInputElement &&
    ['checkbox', 'range', 'button'].includes(e.target.type) &&
    e.code !== 'ArrowLeft' &&
    e.code !== 'ArrowRight'
  )

/** Binds every shortcut to the window. @returns a function that takes them off again */
export function bindShortcuts(actions: ReturnType<typeof useActions>): () => void {
  const bindings: Record<string, (e: KeyboardEvent) => void> = {}
  for (const a of actions.list)
    if (a.shortcut)
      bindings[a.shortcut] = (e) => {
        if (typing(e) || !a.enabled()) return
        e.preventDefault()
        actions.run(a.id)
      }
  // A list or slider that was just used gives the keys back to the desk, so that Space plays.
  const release = (e: Event): void => {
    const el = e.target
    if (el instanceof HTMLSelectElement || (el instanceof HTMLInputElement && el.type !== 'text')) el.blur()
  }
  window.addEventListener('change', release)
  const unbind = tinykeys(window, bindings)
  return () => {
    unbind()
    window.removeEventListener('change', release)
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
