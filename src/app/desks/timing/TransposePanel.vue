<script setup lang="ts">
// The pitch of the whole clip and of its linked ones, with what happens to its formants.
import { transpose } from '../../../core/session/edits'
import { transpositionFields } from '../../../core/session/schema'
import type { Transposition } from '../../../core/session/types'
import type { Formants } from '../../../core/stretch/types'
import { cents } from '../../../core/units'
import NumberField from '../../fields/NumberField.vue'
import { useSession } from '../../stores/session'
import { useView } from '../../stores/view'

const store = useSession()
const view = useView()
const FORMANTS: Record<Formants, { label: string; help: string }> = {
  move: { label: 'move with the pitch', help: 'The sound gets smaller or larger with the pitch.' },
  keep: { label: 'stay', help: 'A voice keeps its vowels, an instrument its body.' },
}
const formantsOf = (e: Event): Formants => (e.target as HTMLSelectElement).value as Formants

function set(change: Partial<Transposition>, label: string): void {
  const id = view.clip?.id
  if (id) store.edit(label, (s) => transpose(s, id, change))
}
</script>

<template>
  <section v-if="view.clip" aria-label="Transpose" data-test="transpose-panel">
    <h2>Transpose <span class="soft">the whole clip</span></h2>
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
    <label class="row" :title="FORMANTS[view.clip.formants].help">
      <span>Formants</span>
      <select
        class="plain"
        aria-label="Formants"
        :value="view.clip.formants"
        @change="set({ formants: formantsOf($event) }, 'Formants')"
      >
        <option v-for="(f, name) in FORMANTS" :key="name" :value="name" :title="f.help">{{ f.label }}</option>
      </select>
    </label>
    <number-field
      :model-value="view.clip.formantShift"
      :schema="transpositionFields.formantShift"
      label="Formants shifted by"
      unit="semitones"
      help="Makes the sound smaller or larger without changing its pitch."
      @update:model-value="set({ formantShift: $event }, 'Shift of formants')"
    />
  </section>
</template>
