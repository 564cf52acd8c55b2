<script setup lang="ts">
import type { RulePart } from '../api/client'

// The parts of a rule, each with what it comes to, under what it is a part of.
defineProps<{ parts: RulePart[] }>()
const signs = { true: '✓', false: '✕', unknown: '?' }
const words = { true: 'holds:', false: 'does not hold:', unknown: 'cannot be worked out:' }
</script>

<template>
  <ul>
    <li v-for="(p, i) in parts" :key="i" :class="p.value">
      <i aria-hidden="true">{{ signs[p.value] }}</i>
      <span
        ><span class="spoken">{{ words[p.value] }}</span> <code>{{ p.text }}</code></span
      >
      <RuleParts v-if="p.parts?.length" :parts="p.parts" class="inner" />
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 2px 0;
  padding: 0 0 0 14px;
  border-left: 1px solid var(--line);
}
li {
  display: grid;
  grid-template-columns: 18px 1fr;
  align-items: baseline;
  padding: 1px 0;
}
.inner {
  grid-column: 2;
}
i {
  font-style: normal;
  font-weight: 700;
  color: var(--accent);
}
.false > i,
.unknown > i {
  color: var(--warn);
}
code {
  font-family: ui-monospace, monospace;
  font-size: 13px;
  overflow-wrap: anywhere;
}
.spoken {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
