<script setup lang="ts">
// Quantize: what would move, before anything does; then apply, or take back.
import { computed } from 'vue'
import { number } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import { ChevronDown } from '@lucide/vue'
import { useActions } from '../../actions/actions'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import SliderField from '../../controls/SliderField.vue'
import { formatPosition, toPosition } from '../../../core/music/position'
import type { Move } from '../../../core/timing/quantize'
import { useSession } from '../../stores/session'
import { useTiming } from '../../stores/timing'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import { beatToSeconds } from '../../../core/music/tempo-map'

const store = useSession()
const view = useView()
const timing = useTiming()
const transport = useTransport()
const actions = useActions()
const RESETS = ['reset-quantize', 'reset-hand'].map((id) => actions.get(id))

const milliseconds = (name: string) =>
  number()
    .typeError(`${name} must be a number of milliseconds.`)
    .required('Type a number of milliseconds.')
    .min(0, `${name} cannot be below 0 ms.`)
    .max(1000, `${name} can be at most 1000 ms.`)
const leaveAlone = milliseconds('The leave-alone window')
const largestMove = milliseconds('The largest move')
const where = computed(() => (view.range ? 'in the range' : 'in the whole clip'))
const openNotes = computed(() => (timing.previewing ? timing.open.slice(0, 6) : []))
const placeOf = (m: Move): string =>
  store.session ? formatPosition(toPosition(store.session.meter, m.from)) : ''
const lineOf = (m: Move): string =>
  m.line === null ? 'no line' : store.session ? formatPosition(toPosition(store.session.meter, m.line)) : ''

function show(m: Move): void {
  const note = timing.settled?.notes.find((n) => n.tick.at === m.source)
  if (note) view.selected = note.tick.id
  transport.seek(beatToSeconds(store.session!.tempo, m.from))
}
</script>

<template>
  <panel name="quantize" title="Quantize" :note="where">
    <div data-test="quantize-panel" data-walk="quantize">
      <slider-field
        v-model="timing.choice.strength"
        label="Strength"
        unit="%"
        help="How far notes go towards their lines: 100 % puts them on it, less keeps some of the feel."
      />
      <slider-field
        :model-value="view.grid.swing"
        label="Swing"
        unit="%"
        help="Delays every second line: 0 is straight, 100 a full triplet shuffle."
        @update:model-value="(swing) => (view.grid = { ...view.grid, swing })"
      />
      <number-field
        v-model="timing.choice.leaveAlone"
        :schema="leaveAlone"
        label="Leave alone within"
        unit="ms"
        help="Notes at most this far from their line stay as played."
      />
      <number-field
        v-model="timing.choice.largestMove"
        :schema="largestMove"
        label="Largest move (0: any)"
        unit="ms"
        help="No note is moved further than this."
      />
      <p class="counts figures" data-test="quantize-counts">
        {{ timing.summary.moving }} of {{ timing.summary.notes }} notes would move<br />
        median {{ timing.summary.median.toFixed(1) }}&nbsp;ms, largest
        {{ timing.summary.largest.toFixed(1) }}&nbsp;ms
      </p>
      <p v-if="timing.summary.offGrid" class="soft">
        {{ timing.summary.offGrid }} without a line of their own move along with their neighbours.
      </p>
      <div v-if="openNotes.length" class="open">
        <p class="soft">Could go either way:</p>
        <div v-for="m in openNotes" :key="m.source" class="row">
          <say help="Shows this note." bare class="figures" @click="show(m)"
            >{{ placeOf(m) }} → {{ lineOf(m) }}</say
          >
          <el-button-group>
            <say help="Sends this note to the earlier line." @click="timing.send(m, 'earlier')">earlier</say>
            <say help="Sends this note to the later line." @click="timing.send(m, 'later')">later</say>
          </el-button-group>
        </div>
      </div>
      <div class="buttons">
        <action-button id="preview-quantize" label="Preview" />
        <action-button id="quantize" strong label="Apply" />
        <el-dropdown trigger="click" @command="(id: string) => actions.run(id)">
          <el-button :disabled="!RESETS.some((a) => a.enabled())" data-test="reset"
            >Reset<chevron-down class="icon" aria-hidden="true"
          /></el-button>
          <template #dropdown>
            <el-dropdown-menu>
              <el-dropdown-item
                v-for="a in RESETS"
                :key="a.id"
                :command="a.id"
                :disabled="!a.enabled()"
                :data-action="a.id"
                ><b class="word">{{ a.label }}</b><span class="soft">{{ a.help }}</span></el-dropdown-item
              >
            </el-dropdown-menu>
          </template>
        </el-dropdown>
      </div>
    </div>
  </panel>
</template>

<style scoped>
.counts {
  margin: 6px 0 2px;
  font-size: 12px;
}
.open {
  margin-top: 4px;
  font-size: 12px;
}
.word {
  min-width: 110px;
}
</style>
