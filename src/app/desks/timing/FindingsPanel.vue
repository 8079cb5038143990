<script setup lang="ts">
// What the analysis found in the selected clip's recording: tempo, meter, key, tuning, notes.
import { computed } from 'vue'
import type { MethodName } from '../../../core/stretch/types'
import { setTempo } from '../../../core/session/edits'
import { useMedia } from '../../stores/media'
import { useSession } from '../../stores/session'
import { useView } from '../../stores/view'
import { countedTempo, keyWords, notesWords, regionWords, tempoEvidence, tempoWords } from './findings-words'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import { METHOD_LABELS } from './method-words'

const store = useSession()
const view = useView()
const media = useMedia()
const found = computed(() => media.findings.get(view.clip?.recording ?? ''))
const label = (m: string): string => METHOD_LABELS[m as MethodName]
/** The tempo in quarter notes, to a hundredth of what is counted. */
const bpm = computed(() => {
  const f = found.value
  if (!f) return 0
  const { notes, bpm } = countedTempo(f)
  return (Number(bpm.toFixed(2)) * notes * 4) / f.meter.beatUnit
})
const usable = computed(
  () => found.value?.tempo.steady && bpm.value > 0 && store.session?.tempo[0]?.bpm !== bpm.value,
)
</script>

<template>
  <panel v-if="found" name="findings" title="In this recording" :note="tempoWords(found)">
    <div data-test="findings-panel">
      <p class="row">
        <span data-test="found-tempo">{{ tempoWords(found) }}</span>
        <say
          v-if="usable"
          help="Sets the session’s tempo to it."
          @click="store.edit('Tempo of the recording', (s) => setTempo(s, bpm))"
          >Use</say
        >
      </p>
      <p class="soft">{{ tempoEvidence(found) }}</p>
      <p data-test="found-key">{{ keyWords(found) }}</p>
      <p v-if="notesWords(found)">{{ notesWords(found) }}</p>
      <p v-if="regionWords(found, label)" class="soft">{{ regionWords(found, label) }}</p>
    </div>
  </panel>
</template>

<style scoped>
p {
  min-height: 0;
  margin: 0 0 4px;
  font-size: 12px;
}
</style>
