// The Tempo desk's state: how the focused recording is counted, where it strays, and the place that is looked at.
import { defineStore } from 'pinia'
import { computed, ref, shallowReactive, watch } from 'vue'
import type { Findings } from '../../core/analysis/analyse'
import type { BeatFindings } from '../../core/analysis/beats/track'
import { nearestZeroCrossing, ticksOf } from '../../core/analysis/select'
import { barLength, notesPerBeat } from '../../core/music/meter-map'
import { beatToSeconds, secondsToBeat } from '../../core/music/tempo-map'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import { setCount } from '../../core/session/agree-edits'
import {
  AS_FOUND,
  countBeats,
  countTempo,
  sourceOfBeat,
  type Count,
  type Counted,
  type FoundBeats,
} from '../../core/timing/count'
import { driftByBar, heardBeats, worstBar } from '../../core/timing/drift'
import { toSource, toTarget } from '../../core/timing/time-map'
import { samples, type Samples } from '../../core/units'
import { useMedia } from './media'
import { useMessages } from './messages'
import { pool } from './services'
import { useSession } from './session'
import { useView } from './view'

/** How far a chosen place may be moved to a zero crossing, seconds. */
const CROSSING_REACH = 0.003
/** Drift below this is none worth another point, seconds. */
const DRIFT_TOLERANCE = 0.012
const NONE: Counted = { beats: [], beatsPerBar: 4, beatUnit: 4 }

export const useTempo = defineStore('tempo', () => {
  const store = useSession()
  const media = useMedia()
  const view = useView()
  const messages = useMessages()
  /** The chosen place of the recording. */
  const place = ref<Samples | null>(null)
  const recounts = shallowReactive(new Map<string, BeatFindings>())

  const focused = computed(() => (view.shown && view.clip ? findClip(view.shown, view.clip.id) : undefined))
  const rate = computed(() => focused.value?.recording.sampleRate ?? 44100)
  const count = computed<Count>(() => focused.value?.clip.count ?? AS_FOUND)
  const findings = computed<Findings | undefined>(() => media.findings.get(focused.value?.recording.id ?? ''))

  const keyOf = (id: string, c: Count): string => `${id} ${c.range?.low} ${c.range?.high}`
  const source = computed<BeatFindings | undefined>(() => {
    const f = focused.value
    if (!f || !findings.value) return undefined
    return count.value.range ? recounts.get(keyOf(f.recording.id, count.value)) : findings.value
  })
  watch(
    [() => focused.value?.recording.id, () => count.value.range, findings],
    ([id, range, found]) => {
      if (!id || !range || !found || recounts.has(keyOf(id, count.value))) return
      const key = keyOf(id, count.value)
      const { rhythm, chroma, stated } = found
      void messages.attempt(async () => {
        const again = await pool.run((w) => w.recount({ rhythm, chroma, stated }, { tempo: range }))
        recounts.set(key, again)
      })
    },
    { immediate: true },
  )

  const found = computed<FoundBeats>(() => ({
    beats: source.value?.beats ?? [],
    beatsPerBar: source.value?.meter.beatsPerBar ?? 4,
    beatUnit: source.value?.meter.beatUnit ?? 4,
  }))

  const counting = computed<{ counted: Counted; error: string }>(() => {
    const f = focused.value
    if (!f || (count.value.range && !source.value)) return { counted: NONE, error: '' }
    try {
      const range = { from: f.clip.start, to: f.clip.end }
      return { counted: countBeats(found.value, count.value, range, rate.value), error: '' }
    } catch (e) {
      return { counted: NONE, error: (e as Error).message }
    }
  })
  const counted = computed(() => counting.value.counted)
  const error = computed(() => counting.value.error)
  const signature = computed(() => ({
    numerator: counted.value.beatsPerBar,
    denominator: counted.value.beatUnit,
    // A session that counts its compound meters as written has recordings counted so, too.
    ...(store.session?.meter.some((m) => m.written) ? { written: true } : {}),
  }))
  /** Notes of the signature in a beat that is counted: the document counts in the former. */
  const notes = computed(() => notesPerBeat(signature.value))
  /** Counted beats a minute. */
  const bpm = computed(() => (count.value.held ?? countTempo(counted.value, rate.value)) / notes.value)

  const map = computed(() => {
    const f = focused.value
    return f && view.shown ? mapOf(view.shown, f.clip, f.recording) : null
  })
  const scale = computed(() => (view.shown?.sampleRate ?? 44100) / rate.value)
  /** Session second at which a recording place sounds, and back. */
  const secondOf = (at: number): number =>
    map.value ? toTarget(map.value, at * scale.value) / view.shown!.sampleRate : 0
  const sourceAt = (second: number): number =>
    map.value ? toSource(map.value, second * view.shown!.sampleRate) / scale.value : 0

  /** Attacks in force, recording samples. */
  const attacks = computed(() => {
    const f = focused.value
    if (!f) return []
    const candidates = media.transients.get(f.recording.id) ?? []
    const strengths = new Map(candidates.map((t) => [t.at as number, t.strength]))
    return ticksOf(candidates, f.clip.transients, f.recording.sampleRate)
      .filter((t) => !t.muted)
      .map((t) => ({ at: t.at as number, strength: strengths.get(t.at) ?? 1 }))
  })
  const attacksOfClip = (clipId: string): number[] => {
    const s = store.session
    const f = s && findClip(s, clipId)
    if (!f) return []
    return ticksOf(media.transients.get(f.recording.id) ?? [], f.clip.transients, f.recording.sampleRate)
      .filter((t) => !t.muted)
      .map((t) => t.at as number)
  }

  /** Session beat on which beat 1 of bar 1 should sound: the bar line nearest to where it does. */
  const origin = computed(() => {
    const s = view.shown
    if (!s || counted.value.beats.length < 2) return 0
    const bar = barLength(s.meter[0]!)
    return Math.round(secondsToBeat(s.tempo, secondOf(sourceOfBeat(counted.value, 0))) / bar) * bar
  })
  const heard = computed(() =>
    counted.value.beats.length > 1
      ? heardBeats(counted.value, attacks.value, rate.value)
      : new Map<number, number>(),
  )
  /** Deviation of the music from the session's grid, and from its own count, bar by bar. */
  const drift = computed(() => {
    const s = view.shown
    if (!s) return []
    const quarter = 4 / counted.value.beatUnit
    return driftByBar(
      counted.value,
      heard.value,
      (n) => beatToSeconds(s.tempo, origin.value + n * quarter),
      secondOf,
    )
  })
  const fromCount = computed(() => {
    const c = counted.value
    return c.beats.length > 1
      ? driftByBar(
          c,
          heard.value,
          (n) => sourceOfBeat(c, n) / rate.value,
          (at) => at / rate.value,
        )
      : []
  })
  /** The bar where one more known point would help most. */
  const suggestion = computed(() =>
    count.value.held === null ? undefined : worstBar(fromCount.value, DRIFT_TOLERANCE),
  )

  /** The place itself, on the attack near it, else on a zero crossing. @param within seconds */
  function snapped(at: number, within: number): Samples {
    const near = attacks.value.reduce<number | null>(
      (best, a) => (Math.abs(a.at - at) < Math.abs((best ?? Infinity) - at) ? a.at : best),
      null,
    )
    if (near !== null && Math.abs(near - at) <= within * rate.value) return samples(near)
    const audio = media.media.get(focused.value?.recording.id ?? '')?.audio
    const reach = Math.round(CROSSING_REACH * rate.value)
    return audio ? nearestZeroCrossing(audio.channels, samples(at), reach) : samples(at)
  }

  /** Bar and beat of the count at the counted beat nearest to a recording place, from 1. */
  function barAndBeat(at: number): { bar: number; beat: number } {
    const c = counted.value
    const beats = c.beats.filter((b) => b.n % notes.value === 0)
    const nearest = beats.reduce<(typeof c.beats)[number] | null>(
      (best, b) => (!best || Math.abs(b.source - at) < Math.abs(best.source - at) ? b : best),
      null,
    )
    const n = nearest?.n ?? 0
    const bar = Math.floor(n / c.beatsPerBar)
    return { bar: bar + 1, beat: (n - bar * c.beatsPerBar) / notes.value + 1 }
  }
  /** A counted beat of a bar as the document has it: in notes of the signature; and back. */
  const toNotes = (beat: number): number => (beat - 1) * notes.value + 1
  const toBeat = (note: number): number => Math.floor((note - 1) / notes.value) + 1

  /** Says something about the focused clip's beats. */
  function say(label: string, change: (c: Count) => Count, key: string | null = null): void {
    const f = focused.value
    if (f) store.edit(label, (s) => setCount(s, f.clip.id, change(count.value)), key)
  }

  watch(
    () => view.clip?.id,
    () => (place.value = null),
  )

  return {
    place,
    focused,
    rate,
    count,
    findings,
    source,
    counted,
    error,
    bpm,
    signature,
    notes,
    toNotes,
    toBeat,
    map,
    secondOf,
    sourceAt,
    attacks,
    attacksOfClip,
    drift,
    suggestion,
    snapped,
    barAndBeat,
    say,
  }
})
