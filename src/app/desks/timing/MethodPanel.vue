<script setup lang="ts">
// How the focused track is stretched, with what the analysis suggests and why.
import { computed } from 'vue'
import { setMethod } from '../../../core/session/edits'
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
const FILLS: Fill[] = ['mirror', 'repeat', 'rest']

function set(change: Parameters<typeof setMethod>[2], label: string, key: string | null = null): void {
  const id = view.track?.id
  if (id) store.edit(label, (s) => setMethod(s, id, change), key)
}
const pick = (m: MethodName): void => set({ method: m }, `Method ${METHOD_LABELS[m]}`)
</script>

<template>
  <section v-if="choice" aria-label="Method" data-test="method-panel">
    <h2>Stretch method</h2>
    <div class="row" role="group" aria-label="Stretch method">
      <span class="choices">
        <button
          v-for="m in METHOD_NAMES"
          :key="m"
          type="button"
          class="plain small"
          :title="METHOD_HELP[m]"
          :aria-pressed="choice.method === m"
          @click="pick(m)"
        >
          {{ METHOD_LABELS[m] }}
        </button>
      </span>
      <label title="Draft is quicker and rougher, for slow machines; exports are always Fine.">
        <select v-model="transport.quality" class="plain" aria-label="Quality">
          <option value="fine">Fine</option>
          <option value="draft">Draft</option>
        </select>
      </label>
    </div>
    <p v-if="material" class="soft reasons">
      <template v-if="suggested !== choice.method">
        Suggested:
        <button
          type="button"
          class="plain small"
          title="Uses the suggested method."
          @click="pick(suggested!)"
        >
          {{ METHOD_LABELS[suggested!] }}
        </button>
      </template>
      <template v-else>{{ METHOD_LABELS[choice.method] }} suits it.</template>
      {{ why }}
    </p>
    <template v-if="choice.method === 'hits'">
      <label class="row" :title="FILL_HELP[choice.fill]">
        <span>Gaps are filled by</span>
        <select
          class="plain"
          :value="choice.fill"
          aria-label="Gap filling"
          @change="set({ fill: ($event.target as HTMLSelectElement).value as Fill }, 'Gap filling')"
        >
          <option v-for="f in FILLS" :key="f" :value="f" :title="FILL_HELP[f]">{{ f }}</option>
        </select>
      </label>
      <label class="row" title="How much of each moved sound is kept; less lets it die away sooner.">
        <span>Tail</span>
        <span class="row">
          <input
            type="range"
            min="0"
            max="100"
            :value="choice.tail"
            aria-label="Tail"
            @input="set({ tail: Number(($event.target as HTMLInputElement).value) }, 'Tail', 'tail')"
          />
          <span class="figures">{{ choice.tail }} %</span>
        </span>
      </label>
    </template>
    <template v-if="choice.method === 'grains'">
      <label class="row" title="How long a grain is; short ones blur pitch, long ones keep it.">
        <span>Size</span>
        <span class="row">
          <input
            type="range"
            :min="GRAIN_SIZE.min"
            :max="GRAIN_SIZE.max"
            :value="choice.size"
            aria-label="Size"
            @input="
              set({ size: Number(($event.target as HTMLInputElement).value) }, 'Size of grains', 'size')
            "
          />
          <span class="figures">{{ choice.size }} ms</span>
        </span>
      </label>
      <label
        class="row"
        title="How far from its place a grain may be read; more blurs rhythm and hides repeats."
      >
        <span>Scatter</span>
        <span class="row">
          <input
            type="range"
            min="0"
            max="100"
            :value="choice.scatter"
            aria-label="Scatter"
            @input="set({ scatter: Number(($event.target as HTMLInputElement).value) }, 'Scatter', 'scatter')"
          />
          <span class="figures">{{ choice.scatter }} %</span>
        </span>
      </label>
    </template>
  </section>
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.reasons {
  margin-bottom: 4px;
  font-size: 12px;
}
label .figures {
  min-width: 6ch;
  text-align: right;
}
</style>
