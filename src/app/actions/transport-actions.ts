// Actions on playing and on the view.
import { useSession } from '../stores/session'
import { toX } from '../stage/axis'
import { useTiming } from '../stores/timing'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import type { Action } from './types'

export function transportActions(): Action[] {
  const transport = useTransport()
  const view = useView()
  const store = useSession()
  const timing = useTiming()
  const ready = (): boolean => (store.session?.tracks.length ?? 0) > 0
  const focus = (step: 1 | -1) => (): void => {
    const tracks = store.session?.tracks ?? []
    const at = tracks.findIndex((t) => t.id === view.track?.id)
    view.focusedTrack = tracks[Math.max(0, Math.min(tracks.length - 1, at + step))]?.id ?? null
  }
  /** Where zooming by key holds on: the selected note, else the playhead, else the middle. */
  function zoomPoint(): number {
    const note = timing.selectedNote
    const inSight = [note ? toX(view.axis, note.placed) : NaN, toX(view.axis, transport.position)].find(
      (x) => x >= 0 && x <= view.width,
    )
    return inSight ?? view.width / 2
  }
  return [
    {
      id: 'play',
      label: 'Play or stop',
      help: 'Plays from the playhead; stops and goes back to where it began.',
      group: 'Playing',
      shortcut: 'Space',
      enabled: ready,
      on: () => transport.playing,
      run: () => (transport.playing ? transport.stop() : transport.play()),
    },
    {
      id: 'to-start',
      label: 'To the start',
      help: 'Puts the playhead at the range’s start, or at the beginning.',
      group: 'Playing',
      shortcut: 'Home',
      enabled: ready,
      run: () => transport.seek(view.rangeSeconds?.from ?? view.extent.from),
    },
    {
      id: 'loop',
      label: 'Loop',
      help: 'Plays the selected range round and round without a gap.',
      group: 'Playing',
      shortcut: 'KeyL',
      enabled: () => ready() && view.range !== null,
      on: () => transport.looping && view.range !== null,
      run: () => (transport.looping = !transport.looping),
    },
    {
      id: 'click',
      label: 'Click',
      help: 'A knock on every beat, brighter on beat 1; never part of an export.',
      group: 'Playing',
      shortcut: 'KeyK',
      enabled: ready,
      on: () => transport.clickOn,
      run: () => (transport.clickOn = !transport.clickOn),
    },
    {
      id: 'hear',
      label: 'Hear original / corrected',
      help: 'Switches between the recording as played and the result, without a gap.',
      group: 'Playing',
      shortcut: 'KeyC',
      enabled: ready,
      on: () => transport.original,
      run: () => (transport.original = !transport.original),
    },
    {
      id: 'zoom-in',
      label: 'Closer',
      help: 'Shows a shorter stretch of time.',
      group: 'View',
      shortcut: 'Equal',
      enabled: ready,
      run: () => view.zoom(0.6, zoomPoint()),
    },
    {
      id: 'zoom-out',
      label: 'Wider',
      help: 'Shows a longer stretch of time.',
      group: 'View',
      shortcut: 'Minus',
      enabled: ready,
      run: () => view.zoom(1 / 0.6, zoomPoint()),
    },
    {
      id: 'fit',
      label: 'Whole session',
      help: 'Shows everything from the first sound to the last.',
      group: 'View',
      shortcut: 'Digit0',
      enabled: ready,
      run: () => view.fit(),
    },
    {
      id: 'fit-range',
      label: 'Fit the range',
      help: 'Shows the selected range across the whole width.',
      group: 'View',
      shortcut: 'Shift+Digit0',
      enabled: () => view.range !== null,
      run: () => view.fitRange(),
    },
    {
      id: 'follow',
      label: 'Follow',
      help: 'Keeps the playhead in sight while playing.',
      group: 'View',
      shortcut: 'KeyF',
      enabled: ready,
      on: () => view.follow,
      run: () => (view.follow = !view.follow),
    },
    {
      id: 'clear-range',
      label: 'Forget the range',
      help: 'Clears the selected range and the selected note.',
      group: 'View',
      shortcut: 'Escape',
      enabled: () => view.range !== null || view.selected !== null,
      run: () => {
        view.range = null
        view.selected = null
      },
    },
    {
      id: 'track-up',
      label: 'Track above',
      help: 'Shows the track above on the stage.',
      group: 'View',
      shortcut: 'ArrowUp',
      enabled: ready,
      run: focus(-1),
    },
    {
      id: 'track-down',
      label: 'Track below',
      help: 'Shows the track below on the stage.',
      group: 'View',
      shortcut: 'ArrowDown',
      enabled: ready,
      run: focus(1),
    },
  ]
}
