<script setup lang="ts">
import { computed } from 'vue'
import type { Step } from '../api/client'
import { count, duration } from '../format'
import PathLink from './PathLink.vue'

// What followed: work (plain) and further changes (marked), each under what made it necessary.
const props = defineProps<{ steps: Step[] }>()

const idle = (s: Step) => !s.changes && s.rows === 0 && s.left === 0 && s.parked === 0 && s.follows.length === 0
const shown = computed(() => props.steps.filter((s) => !idle(s)))
const hidden = computed(() => props.steps.length - shown.value.length)
const many = (n: number, noun: string) => `${count(n)} ${noun}${n === 1 ? '' : 's'}`
</script>

<template>
  <ul>
    <li v-for="s in shown" :key="s.says + s.after_ms" :class="{ stuck: s.parked > 0 }">
      <div class="step">
        <span class="says">{{ s.says }}</span>
        <template v-if="s.changes">
          <span class="quiet"
            >{{ many(s.many, 'change')
            }}<template v-if="s.example"
              >, such as <PathLink v-if="!s.example.includes('→')" :path="s.example" /><span v-else class="mono">{{
                s.example
              }}</span></template
            ></span
          >
        </template>
        <template v-else>
          <span class="number">{{ many(s.rows, 'row') }}</span>
          <span class="number quiet">{{ many(s.chunks, 'chunk') }}</span>
          <span v-if="s.attempts" class="warn">{{ many(s.attempts, 'failed attempt') }}</span>
          <span v-if="s.parked" class="warn"
            >{{ s.parked }} parked: {{ s.error }} <RouterLink to="/parked">see parked work</RouterLink></span
          >
          <span v-else-if="s.left" class="warn">{{ count(s.left) }} of {{ count(s.many) }} left</span>
          <span v-else-if="s.done_ms !== undefined" class="quiet">done after {{ duration(s.done_ms) }}</span>
        </template>
      </div>
      <CascadeTree v-if="s.follows.length" :steps="s.follows" />
    </li>
    <li v-if="hidden > 0" class="quiet">{{ many(hidden, 'more step') }} looked and found nothing to do</li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0 0 0 18px;
  border-left: 1px solid var(--line);
}
li {
  padding: 3px 0 3px 2px;
}
.step {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.says {
  font-weight: 550;
}
.warn {
  color: var(--warn);
}
</style>
