<script setup lang="ts">
import { computed } from 'vue'
import type { PairState, Values } from '../api/client'
import type { OutlinePair } from '../composables/marks'
import { inline } from '../format'

// One kind of pair with one document: a button that sets or unsets it, or, of a
// pair with values to choose from, one for each. Pressed is what the facts say.
const props = defineProps<{ pair: OutlinePair; state?: PairState; with?: string; busy: boolean; small?: boolean }>()
const emit = defineEmits<{ set: [facts?: Values]; unset: [] }>()

const choice = computed(() => props.pair.fields.find((f) => f.choices?.length))
const words = computed(() => props.pair.name.replaceAll('_', ' '))
const caption = computed(() => {
  const verb = props.state?.set ? `un${words.value}` : words.value
  return [verb[0]!.toUpperCase() + verb.slice(1), props.with].filter(Boolean).join(' ')
})
const signed = (v: unknown) => (typeof v === 'number' && v > 0 ? `+${v}` : inline(v).replace('-', '−'))
const chosen = (v: unknown) => props.state?.set === true && props.state.facts?.[choice.value!.name] === v
</script>

<template>
  <span v-if="choice" class="values" role="group" :aria-label="words">
    <span class="quiet">{{ words }}</span>
    <button
      v-for="v in choice.choices"
      :key="String(v)"
      type="button"
      :aria-pressed="chosen(v)"
      :disabled="busy"
      :data-act="`${pair.name}:${v}`"
      @click="chosen(v) ? emit('unset') : emit('set', { [choice.name]: v })"
    >
      {{ signed(v) }}
    </button>
  </span>
  <button
    v-else
    type="button"
    :class="{ large: !small }"
    :aria-pressed="state?.set ?? false"
    :disabled="busy"
    :data-act="pair.name"
    @click="state?.set ? emit('unset') : emit('set')"
  >
    {{ caption }}
  </button>
</template>

<style scoped>
button {
  font: inherit;
  font-size: 12px;
  color: var(--text);
  background: transparent;
  border: 1px solid var(--line);
  border-radius: 12px;
  padding: 1px 9px;
  cursor: pointer;
}
button:hover:not(:disabled) {
  border-color: var(--accent);
}
button[aria-pressed='true'] {
  background: var(--text);
  color: var(--surface);
  border-color: var(--text);
}
button:disabled {
  opacity: 0.55;
  cursor: default;
}
.large {
  font-size: 13px;
  padding: 3px 12px;
  border-radius: 14px;
  white-space: nowrap;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
.values {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
</style>
