<script setup lang="ts">
// How far the music strays from the session's grid, bar by bar, in ms.
import { computed, shallowRef, watchPostEffect } from 'vue'
import { Bar } from 'vue-chartjs'
import { BarElement, CategoryScale, Chart, LinearScale, Tooltip, type ChartOptions } from 'chart.js'
import { afterSound } from '../../stage/after-sound'
import { useColors } from '../../stage/colors'
import { useTempo } from '../../stores/tempo'
import { useTransport } from '../../stores/transport'
import { driftWords } from './tempo-words'

Chart.register(BarElement, CategoryScale, LinearScale, Tooltip)
const tempo = useTempo()
const transport = useTransport()
const theme = useColors()
const colors = shallowRef(theme.value)
// The theme's colours are there only once the page has changed over.
watchPostEffect(() => {
  colors.value = theme.value
  Chart.defaults.font.family = theme.value.font
})

const drift = afterSound(() => tempo.drift)
const data = computed(() => ({
  labels: drift.value.map((d) => String(d.bar)),
  datasets: [
    {
      data: drift.value.map((d) => Math.round(10000 * d.off) / 10),
      // Late and early have the colours of stretched and squeezed: what moving them to the grid would do.
      backgroundColor: drift.value.map((d) => (d.off > 0 ? colors.value.squeezed : colors.value.stretched)),
      categoryPercentage: 0.9,
      barPercentage: 0.86,
      minBarLength: 1,
    },
  ],
}))
const options = computed<ChartOptions<'bar'>>(() => ({
  animation: false,
  maintainAspectRatio: false,
  onClick: (_e, hit) => {
    const bar = drift.value[hit[0]?.index ?? -1]
    if (bar) transport.seek(tempo.secondOf(bar.source))
  },
  plugins: {
    legend: { display: false },
    tooltip: {
      callbacks: {
        title: (items) => `Bar ${items[0]?.label}`,
        label: (item) =>
          `${Math.abs(item.parsed.y ?? 0).toFixed(1)} ms ${(item.parsed.y ?? 0) > 0 ? 'late' : 'early'}`,
      },
    },
  },
  scales: {
    x: { grid: { display: false }, ticks: { color: colors.value.soft, maxRotation: 0, autoSkipPadding: 12 } },
    y: {
      suggestedMin: -20,
      suggestedMax: 20,
      grid: { color: colors.value.line },
      ticks: { color: colors.value.soft, maxTicksLimit: 6 },
    },
  },
}))
</script>

<template>
  <section class="drift" aria-label="Drift">
    <p>
      <b>Drift</b>
      <span class="soft"> from the session’s grid, ms in each bar; above is late.</span>
      <span class="figures" data-test="drift-words">{{ driftWords(drift) }}</span>
    </p>
    <div class="chart"><Bar :data="data" :options="options" aria-label="Drift of each bar in ms" /></div>
  </section>
</template>

<style scoped>
.drift {
  flex: none;
  height: 158px;
  padding: 5px 10px 4px;
  border-top: 1px solid var(--line);
  background: var(--paper-raised);
  font-size: 12px;
}
.drift p {
  display: flex;
  gap: 6px;
  white-space: nowrap;
  overflow: hidden;
}
.figures {
  margin-left: auto;
}
.chart {
  position: relative;
  height: 130px;
}
</style>
