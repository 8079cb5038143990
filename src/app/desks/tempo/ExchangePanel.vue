<script setup lang="ts">
// The tempo map as a MIDI file, both ways; beats as a table and as labels.
import { ref } from 'vue'
import { beatsAsCsv, beatsAsLabels, type ListedBeat } from '../../../core/formats/beat-lists'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { keepingSeconds } from '../../../core/session/tempo-edits'
import { useMessages } from '../../stores/messages'
import { useSession } from '../../stores/session'
import { useTempo } from '../../stores/tempo'
import { useView } from '../../stores/view'
import { download } from '../../frame/download'

const store = useSession()
const tempo = useTempo()
const view = useView()
const messages = useMessages()
const chooser = ref<HTMLInputElement>()

function midi(): void {
  void messages.attempt(async () => {
    const { writeSmf } = await import('../../../core/formats/smf')
    const s = store.session!
    const end = Math.ceil(secondsToBeat(s.tempo, view.extent.to))
    download(
      `${s.name} tempo.mid`,
      writeSmf(s.tempo, s.meter, end, s.name) as Uint8Array<ArrayBuffer>,
      'audio/midi',
    )
  })
}
function bring(e: Event): void {
  const field = e.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  void messages.attempt(async () => {
    const { readSmf } = await import('../../../core/formats/smf')
    const maps = readSmf(new Uint8Array(await file.arrayBuffer()))
    store.edit('Tempo map from a MIDI file', (s) => ({ ...keepingSeconds(s, maps.tempo), meter: maps.meter }))
  })
  field.value = ''
}

function listed(): ListedBeat[] {
  const c = tempo.counted
  return c.beats.map((b, i) => {
    const bar = Math.floor(b.n / c.beatsPerBar)
    const [from, to] = c.beats[i + 1] ? [b, c.beats[i + 1]!] : [c.beats[i - 1]!, b]
    return {
      recording: b.source / tempo.rate,
      session: tempo.secondOf(b.source),
      bar: bar + 1,
      beat: b.n - bar * c.beatsPerBar + 1,
      bpm: (60 * tempo.rate) / (to.source - from.source),
      confidence: b.confidence,
    }
  })
}
const named = (ending: string): string => `${tempo.focused?.track.name ?? 'recording'} beats.${ending}`
</script>

<template>
  <section aria-label="Files">
    <h2>Files</h2>
    <div class="buttons">
      <button
        type="button"
        class="plain small"
        title="Tempo and meter map as a Standard MIDI File."
        @click="midi"
      >
        Tempo map, MIDI
      </button>
      <button
        type="button"
        class="plain small"
        title="Takes tempo and meter from a Standard MIDI File; recordings that do not follow stay where they sound."
        @click="chooser!.click()"
      >
        From MIDI …
      </button>
      <button
        type="button"
        class="plain small"
        :disabled="tempo.counted.beats.length < 2"
        title="This recording’s beats as comma-separated values."
        @click="download(named('csv'), beatsAsCsv(listed()), 'text/csv')"
      >
        Beats, CSV
      </button>
      <button
        type="button"
        class="plain small"
        :disabled="tempo.counted.beats.length < 2"
        title="This recording’s beats as label text."
        @click="download(named('txt'), beatsAsLabels(listed()), 'text/plain')"
      >
        Beats, labels
      </button>
      <input
        ref="chooser"
        type="file"
        accept=".mid,.midi,audio/midi"
        hidden
        aria-label="MIDI file"
        @change="bring"
      />
    </div>
  </section>
</template>
