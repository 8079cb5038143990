<script setup lang="ts">
// The pitch of the whole clip and of its linked ones, with what happens to its formants.
import { transpose } from '../../../core/session/edits'
import { transpositionFields } from '../../../core/session/schema'
import type { Transposition } from '../../../core/session/types'
import type { Formants } from '../../../core/stretch/types'
import { cents } from '../../../core/units'
import { computed } from 'vue'
import ChoiceField from '../../controls/ChoiceField.vue'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import { useSession } from '../../stores/session'
import { useView } from '../../stores/view'

const store = useSession()
const view = useView()
const FORMANTS: { value: Formants; label: string; help: string }[] = [
  { value: 'keep', label: 'stay', help: 'Formants stay: a voice keeps its vowels, an instrument its body.' },
  { value: 'move', label: 'move', help: 'Formants move: the sound gets smaller or larger with the pitch.' },
]
const note = computed(() => {
  const c = view.clip
  if (!c || (c.semitones === 0 && c.cents === 0)) return 'as recorded'
  const sign = (v: number): string => `${v < 0 ? '−' : '+'}${Math.abs(v)}`
  return [c.semitones && `${sign(c.semitones)} semitones`, c.cents && `${sign(c.cents)} cents`]
    .filter(Boolean)
    .join(' ')
})

function set(change: Partial<Transposition>, label: string): void {
  const id = view.clip?.id
  if (id) store.edit(label, (s) => transpose(s, id, change))
}
</script>

<template>
  <panel v-if="view.clip" name="transpose" title="Transpose" :note="note">
    <div data-test="transpose-panel">
      <number-field
        :model-value="view.clip.semitones"
        :schema="transpositionFields.semitones"
        label="Semitones"
        help="How far the whole clip is transposed; its length stays."
        @update:model-value="set({ semitones: $event }, 'Transpose')"
      />
      <number-field
        :model-value="view.clip.cents"
        :schema="transpositionFields.cents"
        label="Fine tuning"
        unit="cents"
        help="Hundredths of a semitone on top, to tune a clip to the others."
        @update:model-value="set({ cents: cents($event) }, 'Fine tuning')"
      />
      <choice-field
        :model-value="view.clip.formants"
        :options="FORMANTS"
        label="Formants"
        :help="FORMANTS.find((f) => f.value === view.clip!.formants)!.help"
        open
        @update:model-value="(formants) => set({ formants }, 'Formants')"
      />
      <number-field
        :model-value="view.clip.formantShift"
        :schema="transpositionFields.formantShift"
        label="Formants shifted by"
        unit="semitones"
        help="Makes the sound smaller or larger without changing its pitch."
        @update:model-value="set({ formantShift: $event }, 'Shift of formants')"
      />
    </div>
  </panel>
</template>
