<script setup lang="ts">
import { computed } from 'vue'
import { inline, moment } from '../format'
import PathLink from './PathLink.vue'

const props = defineProps<{ value: unknown; to?: string; time?: boolean }>()

const parts = computed(() =>
  props.value && typeof props.value === 'object' && !Array.isArray(props.value)
    ? Object.entries(props.value as Record<string, unknown>)
    : undefined,
)
</script>

<template>
  <PathLink v-if="to && typeof value === 'string'" :path="`${to}/${value}`" />
  <dl v-else-if="parts">
    <template v-for="[name, v] in parts" :key="name"><dt>{{ name }}</dt><dd>{{ inline(v) }}</dd></template>
  </dl>
  <time v-else-if="time && typeof value === 'string'" :datetime="value" :title="value">{{ moment(value) }}</time>
  <span v-else class="value">{{ inline(value) }}</span>
</template>

<style scoped>
dl { display: grid; grid-template-columns: max-content 1fr; gap: 0 10px; margin: 0; }
dt { color: var(--quiet); }
dd { margin: 0; overflow-wrap: anywhere; }
.value { white-space: pre-wrap; overflow-wrap: anywhere; }
</style>
