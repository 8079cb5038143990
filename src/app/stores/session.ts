// The open session: its history, every edit, and saving after each.
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { newHistory, perform, redo, undo, type History } from '../../core/session/history'
import type { Session } from '../../core/session/types'
import type { Picture } from '../../engine/storage/library'
import { pictureOf } from '../shelf/picture'
import { useMedia } from './media'
import { useMessages } from './messages'
import { library } from './services'

export type SaveState = 'saved' | 'saving' | 'failed'

export const useSession = defineStore('session', () => {
  const media = useMedia()
  const messages = useMessages()
  const history = shallowRef<History | null>(null)
  const saveState = ref<SaveState>('saved')
  const session = computed<Session | null>(() => history.value?.session ?? null)
  const undoLabel = computed(() => history.value?.steps[history.value.cursor - 1]?.label ?? null)
  const redoLabel = computed(() => history.value?.steps[history.value.cursor]?.label ?? null)
  let opened: Awaited<typeof library> | undefined
  let picture: Picture = []
  let saving = 0

  function save(): void {
    if (!history.value || !opened) return
    saving++
    saveState.value = 'saving'
    opened
      .save(history.value, picture)
      .then(() => {
        if (--saving === 0) saveState.value = 'saved'
      })
      .catch((e: unknown) => {
        saving--
        saveState.value = 'failed'
        console.error(e)
        messages.say(
          'The session could not be saved in this browser; free some disk space, then make any edit.',
          'error',
        )
      })
  }

  function apply(next: History): void {
    if (next === history.value) return
    history.value = next
    save()
    void messages.attempt(() => media.ensure(next.session).then(refreshPicture))
  }

  /** Draws the session's picture for the shelf anew when its recordings changed. */
  let pictured = ''
  function refreshPicture(): void {
    const s = session.value
    if (!s) return
    const key = s.tracks.flatMap((t) => t.clips.map((c) => c.recording)).join()
    if (key === pictured) return
    pictured = key
    picture = pictureOf(s, media.media)
    save()
  }

  /**
   * Does an edit and saves it.
   *
   * @param label what it does, in words
   * @param key   edits with the same key in a row become one step
   * @returns whether the document changed; an error becomes a message
   */
  function edit(label: string, change: (s: Session) => Session, key: string | null = null): boolean {
    if (!history.value) return false
    try {
      const next = perform(history.value, label, change, key)
      const changed = next !== history.value
      apply(next)
      return changed
    } catch (e) {
      messages.report(e)
      return false
    }
  }

  async function open(id: string): Promise<boolean> {
    close()
    return messages.attempt(async () => {
      opened = await library
      const stored = await opened.load(id)
      history.value = { session: stored.session, steps: stored.steps, cursor: stored.cursor }
      picture = stored.picture
      pictured = ''
      saveState.value = 'saved'
      await media.ensure(stored.session)
      refreshPicture()
    })
  }

  /** Puts a new session on the shelf. */
  async function create(s: Session): Promise<void> {
    await (await library).save(newHistory(s), [])
  }

  function close(): void {
    history.value = null
  }

  return {
    history,
    session,
    saveState,
    undoLabel,
    redoLabel,
    edit,
    open,
    create,
    close,
    undo: () => history.value && apply(undo(history.value)),
    redo: () => history.value && apply(redo(history.value)),
  }
})
