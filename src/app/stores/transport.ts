// Playing: position, loop, click, what is heard, level; hands every changed session to the playback.
import { useLocalStorage, watchDebounced } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { barOfBeat } from '../../core/music/meter-map'
import { beatToSeconds, secondsToBeat } from '../../core/music/tempo-map'
import { DEFAULT_CLICK, type ClickStyle } from '../../core/render/click'
import { piecesIn } from '../../core/render/mix'
import { planSession, type Plan } from '../../core/render/plan'
import type { Quality } from '../../core/stretch/types'
import type { PlayerReport, PlayerState } from '../../engine/playback/player-core'
import { useMedia } from './media'
import { useMessages } from './messages'
import { playback, renderer } from './services'
import { useSession } from './session'
import { useView } from './view'

/** Length of one stretch of the click check, what is left out at the very end, seconds; and the pause between, ms. */
const CHECK = 3
const CHECK_TAIL = 0.5
const CHECK_PAUSE = 250

/** Time constant of the level meter's fall, dB a second. */
const FALL = 24

export const useTransport = defineStore('transport', () => {
  const store = useSession()
  const media = useMedia()
  const view = useView()
  const messages = useMessages()
  const state = ref<PlayerState>('stopped')
  /** Session second under the playhead. */
  const position = ref(0)
  const original = ref(false)
  const looping = ref(false)
  const clickOn = ref(false)
  const clickLevel = useLocalStorage('unwarp.click', 0.5)
  const clickStyle = useLocalStorage<ClickStyle>('unwarp.click-style', { ...DEFAULT_CLICK })
  /** Bars of click before playing begins. */
  const countIn = useLocalStorage('unwarp.count-in', 0)
  /** Which place the click check is playing; null when it is not. */
  const checking = ref<'start' | 'middle' | 'end' | null>(null)
  let checks = 0
  let beforeCheck: { readonly click: boolean; readonly loop: boolean } | null = null
  const quality = useLocalStorage<Quality>('unwarp.quality', 'fine')
  /** Level of each channel, dB of full scale. */
  const levels = ref<[number, number]>([-90, -90])
  const playing = computed(() => state.value !== 'stopped')
  let last: PlayerReport | null = null
  let origin = 0

  const findings = (id: string) => media.transients.get(id) ?? []

  /** A plan of the open session as it is now. */
  const planFor = (options: { quality: Quality; original?: boolean; tracks?: string[] }): Plan =>
    planSession(store.session!, findings, options)

  const program = computed(() => {
    const session = store.session
    if (!session) return null
    const q = quality.value
    let original: Plan | undefined
    return {
      session,
      corrected: planSession(session, findings, { quality: q }),
      get original() {
        return (original ??= planSession(session, findings, { quality: q, original: true }))
      },
    }
  })
  watch(program, (p) => p && playback.setProgram(p), { flush: 'sync' })

  // The first change that moves every span of a session takes several times as long as the next ones, until its code
  // has been run: it is run once while nothing plays.
  const following = computed(
    () => store.session?.tracks.flatMap((t) => t.clips).filter((c) => c.base.kind === 'beats').length ?? 0,
  )
  watchDebounced(
    () => [store.session?.id, following.value],
    () => {
      const s = store.session
      if (!s || following.value === 0) return
      requestIdleCallback(() => {
        if (playing.value || store.session?.id !== s.id) return
        const tempo = s.tempo.map((t) => ({ ...t, bpm: 1.01 * t.bpm }))
        // Copies, so that nothing known of the real clips is replaced.
        const tracks = s.tracks.map((t) => ({ ...t, clips: t.clips.map((c) => ({ ...c })) }))
        const plan = planSession({ ...s, tempo, tracks }, findings, { quality: quality.value })
        const from = Math.round(position.value * rate())
        piecesIn(plan, from, from + 2 * rate())
      })
    },
    { debounce: 300 },
  )
  // A recording that has just been loaded fills blocks that were waiting for it.
  watch(
    () => media.heard,
    () => playback.feed(),
  )

  const rate = (): number => store.session?.sampleRate ?? 44100
  const loop = computed(() => {
    const r = view.rangeSeconds
    if (!looping.value || !r) return null
    const [from, to] = [Math.round(r.from * rate()), Math.round(r.to * rate())]
    return to - from >= 64 ? { from, to } : null
  })
  watch(loop, (l) => playback.setLoop(l))
  watch([clickOn, clickLevel], () => playback.setClick(clickOn.value ? clickLevel.value : 0))
  watch(clickStyle, (c) => playback.setClickStyle(c), { deep: true, immediate: true })
  watch(original, (o) => playback.hear(o))

  function drawn(): void {
    if (!playing.value || !last) return
    const { session } = store
    const ahead = state.value === 'playing' ? (playback.now - last.time - playback.latency) * rate() : 0
    let at = last.position + ahead
    const l = loop.value
    if (l && at >= l.to) at = l.from + ((at - l.to) % (l.to - l.from))
    if (session) position.value = at / rate()
    requestAnimationFrame(drawn)
  }

  playback.onReport = (r) => {
    const seconds = last ? Math.max(0, r.time - last.time) : 0
    const was = state.value
    last = r
    state.value = r.state
    levels.value = [0, 1].map((c) => {
      const now = 20 * Math.log10(Math.max(1e-5, r.peaks[c] ?? 0))
      return Math.max(now, levels.value[c]! - FALL * seconds)
    }) as [number, number]
    if (was === 'stopped' && r.state !== 'stopped') requestAnimationFrame(drawn)
    if (r.state === 'stopped') {
      levels.value = [-90, -90]
      if (was !== 'stopped') position.value = origin
    }
  }
  renderer.onError = (e) => messages.report(e)

  async function play(): Promise<void> {
    const l = loop.value
    let from = Math.round(position.value * rate())
    if (l && (from < l.from || from >= l.to)) from = l.from
    if (!l && from >= (program.value?.corrected.end ?? 0)) from = program.value?.corrected.start ?? 0
    origin = from / rate()
    playback.setLoop(l)
    await playback.play(from, clickOn.value && !checking.value ? countInSamples(from) : 0)
  }
  /** Ends the click check at once and puts click and loop back as they were. */
  function endCheck(): void {
    checking.value = null
    if (!beforeCheck) return
    clickOn.value = beforeCheck.click
    looping.value = beforeCheck.loop
    beforeCheck = null
  }
  const stop = (): void => {
    endCheck()
    playback.stop()
  }

  /** Length of the count-in before a session sample: whole bars of the meter there. */
  function countInSamples(from: number): number {
    const s = store.session
    if (!s || countIn.value <= 0) return 0
    const at = secondsToBeat(s.tempo, from / rate())
    const length = countIn.value * barOfBeat(s.meter, at).length
    return Math.round(from - beatToSeconds(s.tempo, at - length) * rate())
  }

  /** Plays three seconds at the start, the middle and the very end with the click; stopping ends it. */
  async function clickCheck(): Promise<void> {
    const s = store.session
    if (!s) return
    const { from, to } = view.extent
    const first = Math.max(0, from)
    const places = {
      start: first,
      middle: Math.max(first, (first + to) / 2 - CHECK / 2),
      end: Math.max(first, to - CHECK - CHECK_TAIL),
    } as const
    beforeCheck = { click: clickOn.value, loop: looping.value }
    const own = ++checks
    const goes = (): boolean => checks === own && checking.value !== null
    clickOn.value = true
    looping.value = false
    try {
      for (const at of ['start', 'middle', 'end'] as const) {
        checking.value = at
        seek(places[at])
        await play()
        await new Promise((done) => setTimeout(done, 1000 * CHECK))
        if (!goes()) break
        playback.stop()
        await new Promise((done) => setTimeout(done, CHECK_PAUSE))
        if (!goes()) break
      }
    } finally {
      if (checks === own) endCheck()
    }
  }

  /** Puts the playhead at a second; playing goes on from there. */
  function seek(second: number): void {
    const to = Math.max(view.extent.from, Math.min(view.extent.to, second))
    origin = to
    position.value = to
    playback.seek(Math.round(to * rate()))
  }

  const beat = computed(() => (store.session ? secondsToBeat(store.session.tempo, position.value) : 0))

  /** Start over for another session. */
  function reset(): void {
    stop()
    position.value = 0
    origin = 0
    looping.value = false
    original.value = false
    const s = store.session
    if (s) seek(beatToSeconds(s.tempo, 0))
  }

  return {
    state,
    playing,
    position,
    beat,
    original,
    looping,
    clickOn,
    clickLevel,
    clickStyle,
    countIn,
    checking,
    clickCheck,
    quality,
    levels,
    planFor,
    program,
    play,
    stop,
    seek,
    reset,
    loop,
  }
})
