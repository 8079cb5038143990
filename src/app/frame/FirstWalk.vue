<script setup lang="ts">
// Five steps through the demo: hear it, see the ties, quantize a passage, compare, render.
import { ref } from 'vue'
import { useInterface } from '../stores/interface'

const ui = useInterface()
const open = ref(true)
const STEPS = [
  {
    at: '[data-walk="play"]',
    title: '1 of 5: hear it with the click',
    text: 'Play, and turn on the click: the drum is late on every third beat, the cittern rushes.',
    placement: 'top-start',
  },
  {
    at: '[data-walk="stage"]',
    title: '2 of 5: see the ties',
    text: 'Above is what was played, below where it will sound. A tie joins the two; a slanted one is a note that moves. Drag a note below to move its sound.',
    placement: 'bottom',
  },
  {
    at: '[data-walk="quantize"]',
    title: '3 of 5: quantize one passage',
    text: 'Drag along the ruler to select some bars, look at the counts, then Apply. Only the notes of the range move.',
    placement: 'left-end',
  },
  {
    at: '[data-walk="hear"]',
    title: '4 of 5: original or corrected',
    text: 'Switch while it plays; there is no gap. Nothing you do changes the recording.',
    placement: 'bottom',
  },
  {
    at: '[data-walk="desks"]',
    title: '5 of 5: render',
    text: 'When it sounds right, the Render desk writes the same samples to a file. This walk can be started again from Help.',
    placement: 'bottom',
  },
] as const

function end(): void {
  open.value = false
  ui.walking = false
}
</script>

<template>
  <el-tour v-model="open" :z-index="2800" @close="end" @finish="end">
    <el-tour-step
      v-for="s in STEPS"
      :key="s.at"
      :target="s.at"
      :title="s.title"
      :description="s.text"
      :placement="s.placement"
    />
  </el-tour>
</template>
