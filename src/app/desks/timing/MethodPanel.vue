<script setup lang="ts">
// How the focused track is stretched, with what the analysis suggests and why.
import { computed } from 'vue'
import { setMethod } from '../../../core/session/edits'
import ChoiceField from '../../controls/ChoiceField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import SliderField from '../../controls/SliderField.vue'
import { GRAIN_SIZE, METHOD_NAMES, type Fill, type MethodName } from '../../../core/stretch/types'
import { useMedia } from '../../stores/media'
import { useSession } from '../../stores/session'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import { FILL_HELP, METHOD_HELP, METHOD_LABELS } from './method-words'

const store = useSession()
const view = useView()
const media = useMedia()
const transport = useTransport()
const choice = computed(() => view.track?.method)
const material = computed(() => media.findings.get(view.clip?.recording ?? '')?.material)
const suggested = computed(() => material.value?.suggested)
/** The reasons, with no figure at a line's end and its unit on the next. */
const why = computed(() => material.value?.reasons.join(' ').replace(/(\d) (%|Hz|dB)/g, '$1\u00a0$2'))
const FILLS = (['mirror', 'repeat', 'rest'] as const).map((value: Fill) => ({
  value,
  label: value,
  help: FILL_HELP[value],
}))
const QUALITIES = [
  { value: 'fine', label: 'Fine' },
  { value: 'draft', label: 'Draft' },
] as const
const note = computed(() => {
  const c = choice.value?.method
  if (!c) return ''
  return `${METHOD_LABELS[c]}${suggested.value === undefined ? '' : suggested.value === c ? ', which suits it' : `; ${METHOD_LABELS[suggested.value]} is suggested`}`
})

function set(change: Parameters<typeof setMethod>[2], label: string, key: string | null = null): void {
  const id = view.track?.id
  if (id) store.edit(label, (s) => setMethod(s, id, change), key)
}
const pick = (m: MethodName): void => set({ method: m }, `Method ${METHOD_LABELS[m]}`)
</script>

<template>
  <panel v-if="choice" name="method" title="Method" :note="note">
    <div data-test="method-panel">
      <div class="choices" role="group" aria-label="Stretch method">
        <say
          v-for="m in METHOD_NAMES"
          :key="m"
          :help="METHOD_HELP[m]"
          :on="choice.method === m"
          @click="pick(m)"
          >{{ METHOD_LABELS[m] }}</say
        >
      </div>
      <p v-if="material" class="soft reasons">
        <template v-if="suggested !== choice.method">
          Suggested:
          <say help="Uses the suggested method." @click="pick(suggested!)">{{
            METHOD_LABELS[suggested!]
          }}</say>
        </template>
        <template v-else>{{ METHOD_LABELS[choice.method] }} suits it.</template>
        {{ why }}
      </p>
      <template v-if="choice.method === 'hits'">
        <choice-field
          :model-value="choice.fill"
          :options="FILLS"
          label="Gap filling"
          :help="FILL_HELP[choice.fill]"
          open
          @update:model-value="(fill) => set({ fill }, 'Gap filling')"
        />
        <slider-field
          :model-value="choice.tail"
          label="Tail"
          unit="%"
          help="How much of each moved sound is kept; less lets it die away sooner."
          @update:model-value="(tail) => set({ tail }, 'Tail', 'tail')"
        />
      </template>
      <template v-if="choice.method === 'grains'">
        <slider-field
          :model-value="choice.size"
          :min="GRAIN_SIZE.min"
          :max="GRAIN_SIZE.max"
          label="Size"
          unit="ms"
          help="How long a grain is; short ones blur pitch, long ones keep it."
          @update:model-value="(size) => set({ size }, 'Size of grains', 'size')"
        />
        <slider-field
          :model-value="choice.scatter"
          label="Scatter"
          unit="%"
          help="How far from its place a grain may be read; more blurs rhythm and hides repeats."
          @update:model-value="(scatter) => set({ scatter }, 'Scatter', 'scatter')"
        />
      </template>
      <choice-field
        v-model="transport.quality"
        :options="QUALITIES"
        label="Quality"
        help="Draft is quicker and rougher, for slow machines; exports are always Fine."
        open
      />
    </div>
  </panel>
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.reasons {
  margin: 6px 0;
  font-size: 12px;
}
</style>
