<script setup lang="ts">
import { computed } from 'vue'
import { useStatus } from '../composables/status'
import { count, duration } from '../format'

const { status, error } = useStatus()

const words = computed(() => {
  if (error.value) return 'no answer'
  const s = status.value
  if (!s) return '…'
  if (s.settled) return 'settled'
  if (s.parked > 0) return `${count(s.parked)} parked`
  return `${count(s.due)} due, ${duration(s.lag_ms)}`
})
const kind = computed(() => (error.value || status.value?.parked ? 'bad' : status.value?.settled ? 'good' : 'busy'))
</script>

<template>
  <RouterLink to="/" class="badge" :class="kind" aria-live="polite"><i aria-hidden="true"></i>{{ words }}</RouterLink>
</template>

<style scoped>
.badge {
  display: inline-flex;
  align-items: center;
  gap: 8px;
  color: var(--text);
  font-variant-numeric: tabular-nums;
}
.badge:hover {
  text-decoration: none;
}
i {
  width: 9px;
  height: 9px;
  border-radius: 50%;
  background: var(--accent);
}
.busy i {
  background: transparent;
  box-shadow: inset 0 0 0 2px var(--accent);
}
.bad {
  color: var(--warn);
  font-weight: 600;
}
.bad i {
  background: var(--warn);
  border-radius: 2px;
}
</style>
