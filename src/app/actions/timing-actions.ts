// Actions of the Timing desk.
import { removePin, resetPins } from '../../core/session/pin-edits'
import { deleteTicks, muteTicks, resetTicks } from '../../core/session/tick-edits'
import type { PinOrigin } from '../../core/timing/clip-map'
import { placeSecond, type Note } from '../desks/timing/notes'
import { useSession } from '../stores/session'
import { useTiming } from '../stores/timing'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import type { Action } from './types'

export function timingActions(): Action[] {
  const store = useSession()
  const view = useView()
  const timing = useTiming()
  const transport = useTransport()
  const note = (): boolean => timing.selectedNote !== null
  const movable = (): boolean => timing.selectedNote?.tick.muted === false

  /** Selects a note and brings it into sight. */
  function show(next: Note | undefined): void {
    if (!next) return
    view.selected = next.tick.id
    const x = (next.placed - view.axis.start) / view.axis.perPixel
    if (x < 40 || x > view.width - 40)
      view.scroll(next.placed - view.axis.start - (view.width / 2) * view.axis.perPixel)
  }

  /** Selects the next or previous note. */
  function step(by: 1 | -1): void {
    const notes = timing.settled?.notes ?? []
    if (notes.length === 0) return
    const at = notes.findIndex((n) => n.tick.id === view.selected)
    const here = transport.position
    const next =
      at >= 0
        ? notes[at + by]
        : by > 0
          ? notes.find((n) => n.placed >= here)
          : notes.filter((n) => n.placed <= here).at(-1)
    show(next)
  }

  const nearDoubles = (): Note[] => timing.settled?.notes.filter((n) => n.nearDouble) ?? []

  /** Selects the next near-double after the selected note or the playhead, the first one after the last. */
  function stepToNearDouble(): void {
    const selected = timing.settled?.notes.find((n) => n.tick.id === view.selected)
    const here = selected?.placed ?? transport.position
    const doubles = nearDoubles()
    show(doubles.find((n) => (selected ? n.placed > here : n.placed >= here)) ?? doubles[0])
  }

  const resetKind = (id: string, origin: PinOrigin, label: string, help: string): Action => ({
    id,
    label,
    help,
    group: 'Notes',
    enabled: () => view.clip?.pins.some((p) => p.origin === origin) ?? false,
    run: () => store.edit(label, (s) => resetPins(s, view.clip!.id, [origin], timing.resetRange)),
  })

  const nudge = (id: string, ms: number, shortcut: string): Action => ({
    id,
    label: `Nudge ${Math.abs(ms)} ms ${ms < 0 ? 'earlier' : 'later'}`,
    help: 'Moves the selected note a little; the audio on either side gives way within the reach.',
    group: 'Notes',
    shortcut,
    enabled: movable,
    run: () => timing.nudge(ms),
  })

  return [
    {
      id: 'next-note',
      label: 'Next note',
      help: 'Selects the next transient.',
      group: 'Notes',
      shortcut: 'ArrowRight',
      enabled: () => (timing.settled?.notes.length ?? 0) > 0,
      run: () => step(1),
    },
    {
      id: 'previous-note',
      label: 'Previous note',
      help: 'Selects the transient before.',
      group: 'Notes',
      shortcut: 'ArrowLeft',
      enabled: () => (timing.settled?.notes.length ?? 0) > 0,
      run: () => step(-1),
    },
    nudge('nudge-earlier', -1, 'Alt+ArrowLeft'),
    nudge('nudge-later', 1, 'Alt+ArrowRight'),
    nudge('nudge-earlier-10', -10, 'Alt+Shift+ArrowLeft'),
    nudge('nudge-later-10', 10, 'Alt+Shift+ArrowRight'),
    {
      id: 'to-grid',
      label: 'Put on the grid',
      help: 'Moves the selected note to its nearest grid line.',
      group: 'Notes',
      shortcut: 'KeyG',
      enabled: movable,
      run: () => timing.toGrid(),
    },
    {
      id: 'release-note',
      label: 'Let go',
      help: 'Takes the selected note’s pin out; it runs with its neighbours again.',
      group: 'Notes',
      shortcut: 'KeyR',
      enabled: () => timing.selectedNote?.pin != null,
      run: () => store.edit('Let note go', (s) => removePin(s, view.clip!.id, timing.selectedNote!.tick.at)),
    },
    resetKind(
      'reset-quantize',
      'quantize',
      'Reset quantize',
      'Takes back what quantize moved, in the range or everywhere; hand pins stay.',
    ),
    resetKind(
      'reset-hand',
      'hand',
      'Reset hand pins',
      'Takes back what was moved by hand, in the range or everywhere; quantize stays.',
    ),
    {
      id: 'snap',
      label: 'Snap',
      help: 'Dragged notes land on grid lines; hold Shift to place one freely.',
      group: 'Notes',
      shortcut: 'KeyS',
      enabled: () => true,
      on: () => view.snap,
      run: () => (view.snap = !view.snap),
    },
    {
      id: 'next-near-double',
      label: 'Next near-double',
      help: 'Selects the next note with another one suspiciously near, or struck twice where few notes are.',
      group: 'Detection',
      shortcut: 'KeyD',
      enabled: () => nearDoubles().length > 0,
      run: stepToNearDouble,
    },
    {
      id: 'add-tick',
      label: 'Add transient',
      help: 'Adds one at the playhead, at the nearest zero crossing; nothing is stretched.',
      group: 'Detection',
      shortcut: 'KeyA',
      enabled: () => timing.settled !== null,
      run: () => timing.add(transport.position, transport.original ? 'played' : 'placed'),
    },
    {
      id: 'mute-tick',
      label: 'Mute or unmute transient',
      help: 'A muted transient is no note: it is neither moved nor protected.',
      group: 'Detection',
      shortcut: 'KeyM',
      enabled: note,
      on: () => timing.selectedNote?.tick.muted ?? false,
      run: () => {
        const { tick } = timing.selectedNote!
        store.edit(tick.muted ? 'Unmute transient' : 'Mute transient', (s) =>
          muteTicks(s, view.clip!.id, [tick.id], !tick.muted),
        )
      },
    },
    {
      id: 'delete-tick',
      label: 'Delete transient',
      help: 'Takes the selected transient out of the detection; nothing is stretched.',
      group: 'Detection',
      shortcut: 'Delete',
      enabled: note,
      run: () => {
        const { id } = timing.selectedNote!.tick
        store.edit('Delete transient', (s) => deleteTicks(s, view.clip!.id, [id]))
        view.selected = null
      },
    },
    {
      id: 'reset-ticks',
      label: 'Detection as found',
      help: 'Forgets every tick that was moved, added or muted by hand.',
      group: 'Detection',
      enabled: () => {
        const t = view.clip?.transients
        return t !== undefined && t.moved.length + t.added.length + t.muted.length > 0
      },
      run: () => store.edit('Detection as found', (s) => resetTicks(s, view.clip!.id)),
    },
    {
      id: 'preview-quantize',
      label: 'Preview quantize',
      help: 'Draws where every note would go, with counts; nothing is moved yet.',
      group: 'Quantize',
      shortcut: 'KeyQ',
      enabled: () => timing.active.length > 0,
      on: () => timing.previewing,
      run: () => (timing.previewing = !timing.previewing),
    },
    {
      id: 'quantize',
      label: 'Quantize',
      help: 'Moves the notes of the range, or all, as previewed.',
      group: 'Quantize',
      shortcut: 'Shift+KeyQ',
      enabled: () => timing.summary.moving > 0,
      run: () => timing.quantize(),
    },
    {
      id: 'play-note',
      label: 'Playhead to the note',
      help: 'Puts the playhead at the selected note.',
      group: 'Notes',
      shortcut: 'KeyP',
      enabled: note,
      run: () => {
        const v = timing.clip!
        transport.seek(placeSecond(v, v.placed, timing.selectedNote!.tick.at))
      },
    },
  ]
}
