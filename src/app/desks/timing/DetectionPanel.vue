<script setup lang="ts">
// How many transients are found: sensitivity and minimum gap with the live count, and corrections by hand.
import { computed } from 'vue'
import { number } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import Hint from '../../controls/Hint.vue'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import SliderField from '../../controls/SliderField.vue'
import { setDetection } from '../../../core/session/tick-edits'
import { useSession } from '../../stores/session'
import { useTiming } from '../../stores/timing'
import { useView } from '../../stores/view'

const store = useSession()
const view = useView()
const timing = useTiming()
const settings = computed(() => view.clip?.transients)
const counts = computed(() => {
  const notes = timing.clip?.notes ?? []
  const muted = notes.filter((n) => n.tick.muted).length
  const byHand = notes.filter((n) => n.tick.origin !== 'found').length
  const parts = [`${notes.length - muted} in use`]
  if (muted) parts.push(`${muted} muted`)
  if (byHand) parts.push(`${byHand} by hand`)
  return parts.join(', ')
})
const doubles = computed(() => timing.clip?.notes.filter((n) => n.nearDouble).length ?? 0)
const gap = number()
  .typeError('The minimum gap must be a number of milliseconds.')
  .required('Type a number of milliseconds.')
  .min(0, 'The minimum gap cannot be below 0 ms.')
  .max(2000, 'The minimum gap can be at most 2000 ms.')

function set(s: { sensitivity?: number; minGap?: number }): void {
  const c = view.clip
  if (c) store.edit('Detection', (doc) => setDetection(doc, c.id, s), `detection ${c.id}`)
}
</script>

<template>
  <panel v-if="settings" name="transients" title="Transients">
    <p class="soft figures count" data-test="tick-count">{{ counts }}</p>
    <slider-field
      :model-value="settings.sensitivity"
      label="Sensitivity"
      help="How weak an onset may be and still count; more finds softer notes. Nothing is stretched."
      @update:model-value="(v) => set({ sensitivity: v })"
    />
    <number-field
      :model-value="settings.minGap"
      :schema="gap"
      label="Minimum gap"
      unit="ms"
      help="Of two onsets nearer than this, only the stronger counts."
      @update:model-value="(v) => set({ minGap: v })"
    />
    <div v-if="doubles" class="row" data-test="near-doubles">
      <hint
        text="So near to the next note that one of the two may be wrong, or struck twice where few notes of the take are."
        ><span>{{ doubles }} near-double{{ doubles === 1 ? '' : 's' }} flagged</span></hint
      >
      <action-button id="next-near-double" label="Next" />
    </div>
    <div class="buttons">
      <action-button id="add-tick" label="Add" />
      <action-button id="mute-tick" label="Mute" />
      <action-button id="delete-tick" label="Delete" />
      <action-button id="reset-ticks" label="As found" />
    </div>
  </panel>
</template>

<style scoped>
.count {
  font-size: 12px;
}
</style>
