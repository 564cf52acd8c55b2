<!-- One value of a form, with what it means. -->
<script setup lang="ts">
import type { Asked } from '../editor/schema'

defineProps<{ name: string; about: string; asked: Asked; values: string[]; needed: boolean; names: string }>()
const value = defineModel<string>({ required: true })
</script>

<template>
  <label class="row" :data-row="name">
    <span class="mono" :class="{ needed }">{{ name }}</span>
    <select v-if="asked === 'choice'" v-model="value">
      <option value=""></option>
      <option v-for="v in values" :key="v" :value="v">{{ v }}</option>
    </select>
    <input
      v-else
      v-model.lazy="value"
      :list="asked === 'words' || asked === 'list' ? names : undefined"
      :inputmode="asked === 'number' ? 'numeric' : undefined"
      :placeholder="asked === 'list' ? 'several, with commas' : asked === 'yaml' ? 'as YAML' : ''"
      spellcheck="false"
    />
    <span class="quiet about">{{ about }}</span>
  </label>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 110px minmax(120px, 1fr) minmax(0, 1.4fr);
  gap: 10px;
  align-items: center;
  padding: 3px 0;
}
.needed {
  font-weight: 700;
}
.about {
  font-size: 12.5px;
  line-height: 1.3;
}
input,
select {
  font: inherit;
  color: inherit;
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 3px 8px;
  min-width: 0;
  width: 100%;
  box-sizing: border-box;
}
@media (max-width: 640px) {
  .row {
    grid-template-columns: 90px 1fr;
  }
  .about {
    grid-column: 2;
  }
}
</style>
