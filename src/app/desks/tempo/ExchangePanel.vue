<script setup lang="ts">
// The tempo map as a MIDI file, both ways; beats as a table and as labels.
import { Download, FileMusic } from '@lucide/vue'
import type { UploadFile } from 'element-plus'
import { beatsAsCsv, beatsAsLabels, type ListedBeat } from '../../../core/formats/beat-lists'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { keepingSeconds } from '../../../core/session/tempo-edits'
import Hint from '../../controls/Hint.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import { useMessages } from '../../stores/messages'
import { useSession } from '../../stores/session'
import { useTempo } from '../../stores/tempo'
import { useView } from '../../stores/view'
import { download } from '../../frame/download'

const store = useSession()
const tempo = useTempo()
const view = useView()
const messages = useMessages()

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
function bring({ raw: file }: UploadFile): void {
  if (!file) return
  void messages.attempt(async () => {
    const { readSmf } = await import('../../../core/formats/smf')
    const maps = readSmf(new Uint8Array(await file.arrayBuffer()))
    store.edit('Tempo map from a MIDI file', (s) => ({ ...keepingSeconds(s, maps.tempo), meter: maps.meter }))
  })
}

function listed(): ListedBeat[] {
  const c = tempo.counted
  const beats = c.beats.filter((b) => b.n % tempo.notes === 0)
  return beats.map((b, i) => {
    const bar = Math.floor(b.n / c.beatsPerBar)
    const [from, to] = beats[i + 1] ? [b, beats[i + 1]!] : [beats[i - 1]!, b]
    return {
      recording: b.source / tempo.rate,
      session: tempo.secondOf(b.source),
      bar: bar + 1,
      beat: (b.n - bar * c.beatsPerBar) / tempo.notes + 1,
      bpm: (60 * tempo.rate) / (to.source - from.source),
      confidence: b.confidence,
    }
  })
}
const named = (ending: string): string => `${tempo.focused?.track.name ?? 'recording'} beats.${ending}`
</script>

<template>
  <panel name="files" title="Files" note="tempo map, beats">
    <div class="buttons">
      <say help="Tempo and meter map as a Standard MIDI File." :icon="Download" @click="midi"
        >Tempo map, MIDI</say
      >
      <hint
        text="Takes tempo and meter from a Standard MIDI File; recordings that do not follow stay where they sound."
      >
        <el-upload
          action="#"
          accept=".mid,.midi,audio/midi"
          :auto-upload="false"
          :show-file-list="false"
          :on-change="bring"
          data-test="midi-file"
        >
          <el-button><file-music class="icon" aria-hidden="true" /><span>From MIDI …</span></el-button>
        </el-upload>
      </hint>
      <say
        help="This recording’s beats as comma-separated values."
        :icon="Download"
        :disabled="tempo.counted.beats.length < 2"
        @click="download(named('csv'), beatsAsCsv(listed()), 'text/csv')"
        >Beats, CSV</say
      >
      <say
        help="This recording’s beats as label text."
        :icon="Download"
        :disabled="tempo.counted.beats.length < 2"
        @click="download(named('txt'), beatsAsLabels(listed()), 'text/plain')"
        >Beats, labels</say
      >
    </div>
  </panel>
</template>
