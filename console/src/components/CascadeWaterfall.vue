<script setup lang="ts">
import { computed } from 'vue'
import type { Step } from '../api/client'
import { count, duration } from '../format'

// The cascade along time: from when each step became due to when the last of it
// was done, so that one sees what was slow and what waited for what.
const props = defineProps<{ steps: Step[]; tookMs: number }>()

interface Bar {
  key: string
  says: string
  depth: number
  from: number
  to: number
  rows: number
  open: boolean
  changes: boolean
}

function flatten(steps: Step[], depth: number, key: string): Bar[] {
  return steps.flatMap((s, i) => {
    const idle = !s.changes && s.rows === 0 && s.left === 0 && s.parked === 0 && s.follows.length === 0
    if (idle) return []
    const mine = `${key}.${i}`
    const to = s.done_ms ?? (s.left > 0 ? props.tookMs : s.after_ms)
    return [
      {
        key: mine,
        says: s.says,
        depth,
        from: s.after_ms,
        to: Math.max(to, s.after_ms),
        rows: s.rows,
        open: s.left > 0 || s.parked > 0,
        changes: s.changes,
      },
      ...flatten(s.follows, depth + 1, mine),
    ]
  })
}
const bars = computed(() => flatten(props.steps, 0, ''))
const whole = computed(() => Math.max(1, props.tookMs, ...bars.value.map((b) => b.to)))
const share = (ms: number) => `${((ms / whole.value) * 100).toFixed(2)}%`
const ticks = computed(() => [0, 0.25, 0.5, 0.75, 1].map((part) => Math.round(part * whole.value)))
</script>

<template>
  <div class="waterfall" role="table" aria-label="the steps along time">
    <div class="row scale" role="row" aria-hidden="true">
      <span></span>
      <span class="track"
        ><span v-for="(t, i) in ticks" :key="i" :style="{ left: share(t) }" class="tick quiet">{{
          duration(t)
        }}</span></span
      >
      <span class="quiet number">rows</span>
    </div>
    <div
      v-for="b in bars"
      :key="b.key"
      class="row"
      role="row"
      :title="`${b.says}: due after ${duration(b.from)}, done after ${duration(b.to)}`"
    >
      <span class="says" role="cell" :style="{ paddingLeft: `${b.depth * 12}px` }">{{ b.says }}</span>
      <span class="track" role="cell" :aria-label="`from ${duration(b.from)} to ${duration(b.to)}`">
        <i
          :class="{ open: b.open, changes: b.changes }"
          :style="{ left: share(b.from), width: `max(3px, ${share(b.to - b.from)})` }"
        ></i>
      </span>
      <span class="number" role="cell">{{ b.changes ? '' : count(b.rows) }}</span>
    </div>
  </div>
</template>

<style scoped>
.waterfall {
  font-size: 13px;
  min-width: 520px;
}
.row {
  display: grid;
  grid-template-columns: minmax(180px, 34%) 1fr 64px;
  gap: 12px;
  align-items: center;
  padding: 2px 0;
}
.row + .row {
  border-top: 1px solid var(--line);
}
.says {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  position: relative;
  height: 14px;
  margin-right: 40px;
}
.track i {
  position: absolute;
  top: 2px;
  height: 10px;
  border-radius: 2px;
  background: var(--accent);
}
.track i.changes {
  background: var(--quiet);
}
.track i.open {
  background: transparent;
  border: 2px dashed var(--warn);
  box-sizing: border-box;
}
.tick {
  position: absolute;
  font-size: 12px;
  transform: translateX(-50%);
  white-space: nowrap;
}
.tick:first-child {
  transform: none;
}
</style>
