<script setup lang="ts">
import { computed } from 'vue'
import type { Sample } from '../api/client'
import { count, duration } from '../format'

// The last hour of due work: how much there was, as an area, and how old the
// oldest of it was, as a line. Each has a scale of its own, named at its peak.
const props = defineProps<{ samples: Sample[] }>()

const wide = 720
const high = 56
const hour = 3_600_000

const until = computed(() => new Date(props.samples.at(-1)!.at).getTime())
const x = (s: Sample) => wide - ((until.value - new Date(s.at).getTime()) / hour) * wide
const most = (of: (s: Sample) => number) => Math.max(...props.samples.map(of))
const mostDue = computed(() => most((s) => s.due))
const mostLag = computed(() => most((s) => s.lag_ms))
const points = (of: (s: Sample) => number, top: number) =>
  props.samples.map((s) => `${x(s).toFixed(1)},${(high - (top > 0 ? of(s) / top : 0) * (high - 4)).toFixed(1)}`)
const area = computed(() => {
  const line = points((s) => s.due, mostDue.value)
  return `M${x(props.samples[0]!).toFixed(1)},${high} L${line.join(' L')} L${wide},${high} Z`
})
const line = computed(() => `M${points((s) => s.lag_ms, mostLag.value).join(' L')}`)
const words = computed(
  () => `In the last hour at most ${count(mostDue.value)} due at once, the oldest for ${duration(mostLag.value)}.`,
)
</script>

<template>
  <figure>
    <svg :viewBox="`0 0 ${wide} ${high}`" preserveAspectRatio="none" role="img" :aria-label="words">
      <path :d="area" class="due" />
      <path :d="line" class="lag" />
      <line x1="0" :x2="wide" :y1="high" :y2="high" class="axis" />
    </svg>
    <figcaption class="quiet">
      <span>an hour ago</span>
      <span class="keys"
        ><i class="due" aria-hidden="true"></i>due, at most {{ count(mostDue) }}
        <i class="lag" aria-hidden="true"></i>age of the oldest, at most {{ duration(mostLag) }}</span
      >
      <span>now</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 16px 0 0;
}
svg {
  display: block;
  width: 100%;
  height: 56px;
}
path.due {
  fill: var(--accent-soft);
  stroke: none;
}
path.lag {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.axis {
  stroke: var(--line);
  vector-effect: non-scaling-stroke;
}
figcaption {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  font-size: 12px;
  font-variant-numeric: tabular-nums;
}
.keys {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.keys i {
  display: inline-block;
  width: 14px;
  height: 9px;
  background: var(--accent-soft);
  border: 1px solid var(--line);
}
.keys i.lag {
  height: 0;
  border: 0;
  border-top: 2px solid var(--accent);
  margin-left: 10px;
  background: none;
}
</style>
