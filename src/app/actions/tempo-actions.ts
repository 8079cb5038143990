// Actions of the Tempo desk.
import { ref } from 'vue'
import type { Router } from 'vue-router'
import { moveGridToMusic, moveMusicToGrid, releaseClip } from '../../core/session/agree-edits'
import { AS_FOUND, tapTempo, tempoFrom } from '../../core/timing/count'
import { useSession } from '../stores/session'
import { useTempo } from '../stores/tempo'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import type { Action } from './types'

/** An attack this near to the playhead is meant by it, seconds. */
const NEAR_PLAYHEAD = 0.06
/** Taps further apart than this begin a new count, ms. */
const TAP_PAUSE = 2500

/** How grid and music are made to agree, as chosen on the desk. */
export const agreement = {
  gridBy: ref<'bars' | 'beats'>('beats'),
  smoothing: ref(0),
  musicBy: ref<'bars' | 'beats'>('beats'),
  tracks: ref<'this' | 'all'>('this'),
}
export const taps = ref<number[]>([])

export function tempoActions(router: Router): Action[] {
  const store = useSession()
  const view = useView()
  const tempo = useTempo()
  const transport = useTransport()
  // Their keys mean this only where the beats can be seen.
  const clip = (): boolean => router.currentRoute.value.name === 'tempo' && tempo.focused !== undefined
  const counted = (): boolean => clip() && tempo.counted.beats.length > 1
  /** The chosen place, or the playhead, on the attack there. */
  const here = () => tempo.place ?? tempo.snapped(tempo.sourceAt(transport.position), NEAR_PLAYHEAD)
  const ratio = (times: number) => (): void =>
    tempo.say(times > 1 ? 'Twice the tempo' : 'Half the tempo', (c) =>
      c.held === null ? { ...c, times: c.times * times } : { ...c, held: c.held * times },
    )
  const hold = (bpm: number, label: string): void =>
    tempo.say(label, (c) => ({
      ...c,
      held: bpm * tempo.notes,
      one: c.one ?? (tempo.counted.beats.length ? tempo.snapped(oneNow(), 0.02) : null),
    }))
  const oneNow = (): number => tempo.counted.beats.find((b) => b.n === 0)?.source ?? 0

  return [
    {
      id: 'one-here',
      label: 'Beat 1 is here',
      help: 'Bar 1 beat 1 of this recording is at the chosen place or the playhead, on the attack there.',
      group: 'Tempo',
      shortcut: 'KeyB',
      enabled: clip,
      run: () => {
        const one = here()
        tempo.say('Beat 1 is here', (c) => ({ ...c, one, points: [] }))
      },
    },
    {
      id: 'hold-from-here',
      label: 'Hold one tempo from here',
      help: 'Fits one tempo to everything after the chosen place or the playhead; what lies before is counted back at it.',
      group: 'Tempo',
      shortcut: 'KeyH',
      enabled: counted,
      run: () => {
        const at = here()
        const bpm = tempoFrom(tempo.counted, at, tempo.rate)
        const { bar, beat } = tempo.barAndBeat(at)
        const first = bar === 1 && beat === 1
        tempo.say('Hold one tempo', (c) => ({
          ...c,
          held: bpm,
          one: first ? at : (c.one ?? tempo.snapped(oneNow(), 0.02)),
          points: first ? [] : [{ source: at, bar, beat: tempo.toNotes(beat) }],
        }))
      },
    },
    {
      id: 'whole-bpm',
      label: 'Whole BPM',
      help: 'Rounds the tempo to a whole number and holds it; music made to a click has one.',
      group: 'Tempo',
      shortcut: 'KeyW',
      enabled: counted,
      run: () => hold(Math.round(tempo.bpm), 'Whole BPM'),
    },
    {
      id: 'double-tempo',
      label: '× 2',
      help: 'The same beats with one more between every two: the tempo was found at half.',
      group: 'Tempo',
      shortcut: 'Shift+BracketRight',
      enabled: counted,
      run: ratio(2),
    },
    {
      id: 'half-tempo',
      label: '÷ 2',
      help: 'Every second of the same beats: the tempo was found at double.',
      group: 'Tempo',
      shortcut: 'Shift+BracketLeft',
      enabled: counted,
      run: ratio(0.5),
    },
    {
      id: 'tap',
      label: 'Tap',
      help: 'Tap along while it plays: the middle of all intervals counts, missed taps do not. Your delay does not matter, since only distances count.',
      group: 'Tempo',
      shortcut: 'KeyT',
      enabled: clip,
      run: () => {
        const now = performance.now()
        const last = taps.value[taps.value.length - 1]
        taps.value = last !== undefined && now - last < TAP_PAUSE ? [...taps.value, now] : [now]
        const bpm = tapTempo(taps.value.map((t) => t / 1000))
        if (bpm !== null && taps.value.length >= 4)
          tempo.say('Tapped tempo', (c) => ({ ...c, held: bpm * tempo.notes }), `tap ${taps.value[0]}`)
      },
    },
    {
      id: 'count-as-found',
      label: 'As found',
      help: 'Forgets what was said about this recording’s beats; the analysis counts again.',
      group: 'Tempo',
      enabled: () => tempo.focused?.clip.count != null,
      run: () => tempo.say('Beats as found', () => AS_FOUND),
    },
    {
      id: 'grid-to-music',
      label: 'Move the grid to the music',
      help: 'The session’s tempo takes this recording’s beats; nothing that sounds is stretched, the click follows the player.',
      group: 'Tempo',
      enabled: counted,
      run: () => {
        const c = tempo.focused!.clip
        store.edit('Move the grid to the music', (s) =>
          moveGridToMusic(s, c.id, tempo.counted, {
            by: agreement.gridBy.value,
            smoothing: agreement.smoothing.value,
          }),
        )
        view.fit()
      },
    },
    {
      id: 'music-to-grid',
      label: 'Move the music to the grid',
      help: 'Stretches the recording so that its beats are on the session’s, and lets it follow later tempo changes; its pins are taken out.',
      group: 'Tempo',
      enabled: counted,
      run: () => {
        const c = tempo.focused!.clip
        const ids =
          agreement.tracks.value === 'this'
            ? [c.id]
            : store.session!.tracks.flatMap((t) => t.clips.map((k) => k.id))
        store.edit('Move the music to the grid', (s) =>
          moveMusicToGrid(s, c.id, tempo.counted, ids, { by: agreement.musicBy.value }, tempo.attacksOfClip),
        )
        view.fit()
      },
    },
    {
      id: 'release-clip',
      label: 'Release from the tempo',
      help: 'Lets the recording run at its own speed again, from where it starts now.',
      group: 'Tempo',
      enabled: () => tempo.focused?.clip.base.kind === 'beats',
      run: () => store.edit('Release from the tempo', (s) => releaseClip(s, tempo.focused!.clip.id)),
    },
    {
      id: 'click-check',
      label: 'Click check',
      help: 'Plays three seconds at the start, the middle and the very end with the click.',
      group: 'Tempo',
      shortcut: 'Shift+KeyK',
      enabled: () => (store.session?.tracks.length ?? 0) > 0,
      on: () => transport.checking !== null,
      run: () => (transport.checking ? transport.stop() : transport.clickCheck()),
    },
    {
      id: 'next-worst',
      label: 'Where drift is worst',
      help: 'Goes to the bar that strays farthest from the held tempo: the most useful place for another known point.',
      group: 'Tempo',
      shortcut: 'KeyN',
      enabled: () => clip() && tempo.suggestion !== undefined,
      run: () => {
        const at = tempo.suggestion!.source
        const second = tempo.secondOf(at)
        tempo.place = tempo.snapped(at + tempo.suggestion!.off * tempo.rate, 0.05)
        view.set({ ...view.axis, start: second - (view.width / 2) * view.axis.perPixel })
        transport.seek(second)
      },
    },
  ]
}
