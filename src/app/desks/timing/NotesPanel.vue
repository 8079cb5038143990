<script setup lang="ts">
// Every note of the clip as a list: the stage for those who do not see it, and a way to one note among many.
import { useElementSize } from '@vueuse/core'
import { computed, h, ref } from 'vue'
import { ElButton } from 'element-plus/es/components/button/index'
import type { Column } from 'element-plus'
import { VirtualTable as NotesTable } from '../../controls/untyped'
import Panel from '../../controls/Panel.vue'
import { formatPosition, toPosition } from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { useSession } from '../../stores/session'
import { useTiming } from '../../stores/timing'
import { useView } from '../../stores/view'
import type { Note } from './notes'

const store = useSession()
const view = useView()
const timing = useTiming()
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const notes = computed(() => timing.settled?.notes ?? [])
const placeOf = (n: Note): string => {
  const s = store.session!
  return formatPosition(toPosition(s.meter, secondsToBeat(s.tempo, n.placed)))
}
const movedOf = (n: Note): string => {
  const ms = 1000 * (n.placed - n.played)
  return Math.abs(ms) < 0.05 ? '' : `${ms > 0 ? '+' : '−'}${Math.abs(ms).toFixed(1)} ms`
}
function show(n: Note): void {
  view.selected = n.tick.id
  const x = (n.placed - view.axis.start) / view.axis.perPixel
  if (x < 40 || x > view.width - 40)
    view.scroll(n.placed - view.axis.start - (view.width / 2) * view.axis.perPixel)
}
const rows = computed(() => notes.value.map((note) => ({ id: note.tick.id as number, note })))
type Cell = { rowData: (typeof rows.value)[number] }
const columns = computed<Column[]>(() => [
  {
    key: 'place',
    title: 'Sounds at',
    width: 112,
    cellRenderer: ({ rowData }: Cell) =>
      h(
        ElButton,
        {
          text: true,
          size: 'small',
          class: 'figures',
          'aria-pressed': view.selected === rowData.note.tick.id,
          onClick: () => show(rowData.note),
        },
        () => placeOf(rowData.note),
      ),
  },
  {
    key: 'moved',
    title: 'Moved',
    width: Math.max(70, width.value - 118),
    cellRenderer: ({ rowData }: Cell) =>
      h('span', { class: 'figures' }, rowData.note.tick.muted ? 'muted' : movedOf(rowData.note)),
  },
])
</script>

<template>
  <panel name="notes" title="Notes" :note="`${notes.length} in a list`">
    <div ref="box" class="list">
      <notes-table
        v-if="width > 0"
        :columns="columns"
        :data="rows"
        :width="width"
        :height="240"
        :row-height="26"
        :header-height="26"
      />
    </div>
  </panel>
</template>

<style scoped>
.list {
  height: 240px;
}
</style>
