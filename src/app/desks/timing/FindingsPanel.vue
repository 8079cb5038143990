<script setup lang="ts">
// What the analysis found in the selected clip's recording: tempo, meter, key, tuning, notes.
import { computed } from 'vue'
import type { MethodName } from '../../../core/stretch/types'
import { setTempo } from '../../../core/session/edits'
import { useMedia } from '../../stores/media'
import { useSession } from '../../stores/session'
import { useView } from '../../stores/view'
import { keyWords, notesWords, regionWords, tempoEvidence, tempoWords } from './findings-words'
import { METHOD_LABELS } from './method-words'

const store = useSession()
const view = useView()
const media = useMedia()
const found = computed(() => media.findings.get(view.clip?.recording ?? ''))
const label = (m: string): string => METHOD_LABELS[m as MethodName]
/** The tempo as it would be typed: to a hundredth. */
const bpm = computed(() => Number((found.value?.tempo.bpm ?? 0).toFixed(2)))
const usable = computed(
  () => found.value?.tempo.steady && bpm.value > 0 && store.session?.tempo[0]?.bpm !== bpm.value,
)
</script>

<template>
  <section v-if="found" aria-label="Findings" data-test="findings-panel">
    <h2>In this recording</h2>
    <p class="row">
      <span data-test="found-tempo">{{ tempoWords(found) }}</span>
      <button
        v-if="usable"
        type="button"
        class="plain small"
        title="Sets the session’s tempo to it."
        @click="store.edit('Tempo of the recording', (s) => setTempo(s, bpm))"
      >
        Use
      </button>
    </p>
    <p class="soft">{{ tempoEvidence(found) }}</p>
    <p data-test="found-key">{{ keyWords(found) }}</p>
    <p v-if="notesWords(found)">{{ notesWords(found) }}</p>
    <p v-if="regionWords(found, label)" class="soft">{{ regionWords(found, label) }}</p>
  </section>
</template>

<style scoped>
p {
  min-height: 0;
  margin: 0 0 4px;
  font-size: 12px;
}
</style>
