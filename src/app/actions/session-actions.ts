// Actions on the session as a whole.
import type { Router } from 'vue-router'
import { BUILT_DESKS } from '../desks/desks'
import { useSessionFiles } from '../frame/session-files'
import { useInterface } from '../stores/interface'
import { useSession } from '../stores/session'
import type { Action } from './types'

export function sessionActions(router: Router): Action[] {
  const files = useSessionFiles()
  const store = useSession()
  const ui = useInterface()
  const open = (): boolean => store.session !== null
  return [
    {
      id: 'undo',
      label: 'Undo',
      help: 'Takes the last edit back.',
      group: 'Session',
      shortcut: '$mod+KeyZ',
      enabled: () => store.undoLabel !== null,
      run: () => store.undo(),
    },
    {
      id: 'redo',
      label: 'Redo',
      help: 'Does the edit again that was taken back.',
      group: 'Session',
      shortcut: '$mod+Shift+KeyZ',
      enabled: () => store.redoLabel !== null,
      run: () => store.redo(),
    },
    {
      id: 'import',
      label: 'Add recordings',
      help: 'Chooses files to bring into this session, one track each.',
      group: 'Session',
      shortcut: '$mod+KeyI',
      enabled: () => true,
      run: () => ui.chooseFiles('recordings'),
    },
    {
      id: 'open-file',
      label: 'Open a session file',
      help: 'Chooses a file that a whole session was saved in, and puts it on the shelf.',
      group: 'Session',
      shortcut: '$mod+KeyO',
      enabled: () => true,
      run: () => ui.chooseFiles('sessions'),
    },
    {
      id: 'save-file',
      label: 'Save as a file',
      help: 'Saves the session with its recordings, edits and findings in one file, for another machine or for keeping.',
      group: 'Session',
      shortcut: '$mod+KeyS',
      enabled: open,
      run: () => files.save(),
    },
    {
      id: 'shelf',
      label: 'Shelf',
      help: 'Goes back to all sessions; this one is saved.',
      group: 'Session',
      shortcut: '$mod+KeyB',
      enabled: open,
      run: () => router.push('/'),
    },
    {
      id: 'theme',
      label: 'Dark or light',
      help: 'Switches between the paper and the dark theme.',
      group: 'Session',
      shortcut: 'Shift+KeyD',
      enabled: () => true,
      on: () => ui.dark,
      run: () => (ui.dark = !ui.dark),
    },
    {
      id: 'sheet',
      label: 'Shortcuts',
      help: 'Shows every action with its key.',
      group: 'Session',
      shortcut: 'Shift+?',
      enabled: () => true,
      on: () => ui.sheet,
      run: () => (ui.sheet = !ui.sheet),
    },
    {
      id: 'walk',
      label: 'First-run walk',
      help: 'Five steps through the Timing desk, again.',
      group: 'Session',
      enabled: () => router.currentRoute.value.name === 'timing',
      run: () => ui.walk(),
    },
    {
      id: 'fold-rail',
      label: 'Fold the track list',
      help: 'Hides or shows the tracks at the left.',
      group: 'View',
      shortcut: 'Alt+KeyL',
      enabled: open,
      on: () => ui.railFolded,
      run: () => (ui.railFolded = !ui.railFolded),
    },
    {
      id: 'fold-inspector',
      label: 'Fold the inspector',
      help: 'Hides or shows the panels at the right.',
      group: 'View',
      shortcut: 'Alt+KeyI',
      enabled: open,
      on: () => ui.inspectorFolded,
      run: () => (ui.inspectorFolded = !ui.inspectorFolded),
    },
    ...BUILT_DESKS.map((d, i): Action => ({
      id: `desk-${d.id}`,
      label: d.name,
      help: d.help,
      group: 'Desks',
      shortcut: `Alt+Digit${i + 1}`,
      enabled: open,
      on: () => router.currentRoute.value.name === d.id,
      run: () => router.push(`/session/${store.session!.id}/${d.id}`),
    })),
  ]
}
