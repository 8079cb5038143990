<script setup lang="ts">
// Quantize: what would move, before anything does; then apply, or take back.
import { computed } from 'vue'
import { number } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import NumberField from '../../fields/NumberField.vue'
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
  <section aria-label="Quantize" data-test="quantize-panel">
    <h2>Quantize <span class="soft where">{{ where }}</span></h2>
    <label
      class="row"
      title="How far notes go towards their lines: 100 % puts them on it, less keeps some of the feel."
    >
      <span>Strength</span>
      <span class="row">
        <input v-model.number="timing.choice.strength" type="range" min="0" max="100" aria-label="Strength" />
        <span class="figures pct">{{ timing.choice.strength }} %</span>
      </span>
    </label>
    <label class="row" title="Delays every second line: 0 is straight, 100 a full triplet shuffle.">
      <span>Swing</span>
      <span class="row">
        <input
          type="range"
          min="0"
          max="100"
          :value="view.grid.swing"
          aria-label="Swing"
          @input="view.grid = { ...view.grid, swing: Number(($event.target as HTMLInputElement).value) }"
        />
        <span class="figures pct">{{ view.grid.swing }} %</span>
      </span>
    </label>
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
        <button type="button" class="plain small bare figures" title="Shows this note." @click="show(m)">
          {{ placeOf(m) }} → {{ lineOf(m) }}
        </button>
        <span>
          <button
            type="button"
            class="plain small"
            title="Sends this note to the earlier line."
            @click="timing.send(m, 'earlier')"
          >
            earlier
          </button>
          <button
            type="button"
            class="plain small"
            title="Sends this note to the later line."
            @click="timing.send(m, 'later')"
          >
            later
          </button>
        </span>
      </div>
    </div>
    <div class="buttons">
      <action-button id="preview-quantize" small label="Preview" />
      <action-button id="quantize" small strong label="Apply" />
      <action-button id="reset-quantize" small label="Reset quantize" />
      <action-button id="reset-hand" small label="Reset hand" />
    </div>
  </section>
</template>

<style scoped>
.where {
  font-weight: 400;
}
.counts {
  margin: 6px 0 2px;
  font-size: 12px;
}
.pct {
  width: 46px;
  text-align: right;
}
.open {
  margin-top: 4px;
  font-size: 12px;
}
</style>
