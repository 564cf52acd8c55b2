<script setup lang="ts">
import { ref } from 'vue'
import type { Entry } from '../api/client'
import { inline } from '../format'
import WhyPanel from './WhyPanel.vue'

defineProps<{ gone: Entry[]; timeline: string; account: string; bodyField: string }>()

const shown = 3
const asked = ref('') // the path of the entry that is asked about
</script>

<template>
  <section class="gone" aria-label="just gone">
    <div v-for="e in gone.slice(0, shown)" :key="e.path" class="panel-line">
      <span class="body quiet">gone: {{ inline(e.facts[bodyField]) }}</span>
      <button
        type="button"
        class="link"
        data-act="why-not"
        :aria-expanded="asked === e.path"
        @click="asked = asked === e.path ? '' : e.path"
      >
        {{ asked === e.path ? 'Close' : 'Why not?' }}
      </button>
      <WhyPanel v-if="asked === e.path" :timeline="timeline" :owner="account" :path="e.path" />
    </div>
    <p v-if="gone.length > shown" class="quiet">
      and {{ gone.length - shown }} more have gone since the page was opened
    </p>
  </section>
</template>

<style scoped>
.gone {
  border: 1px dashed var(--line);
  border-radius: var(--radius);
  padding: 6px 14px;
  margin-bottom: 10px;
  font-size: 13px;
}
.gone p {
  margin: 4px 0 0;
}
.panel-line {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 10px;
}
.panel-line > .why {
  grid-column: 1 / -1;
}
.panel-line .body {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.link {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
</style>
