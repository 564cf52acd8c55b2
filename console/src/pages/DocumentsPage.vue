<script setup lang="ts">
import StateLine from '../components/kit/StateLine.vue'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import CollectionView from '../components/CollectionView.vue'
import DocumentView from '../components/DocumentView.vue'
import { useOutline } from '../composables/outline'
import { placeOf } from '../composables/place'

const { outline } = useOutline()
const route = useRoute()

const asked = computed(() => [route.params.path ?? []].flat().join('/'))
const tops = computed(() => outline.value?.collections.filter((c) => !c.under) ?? [])
const path = computed(() => asked.value || (tops.value[0]?.name ?? ''))
const place = computed(() => outline.value && placeOf(outline.value, path.value))
</script>

<template>
  <div class="page">
    <nav aria-label="collections">
      <RouterLink
        v-for="c in tops"
        :key="c.name"
        :to="`/documents/${c.name}`"
        :class="{ here: path.split('/')[0] === c.name }"
        >{{ c.name }}</RouterLink
      >
    </nav>
    <div class="content">
      <DocumentView v-if="place?.document" :place="place" />
      <CollectionView v-else-if="place" :place="place" />
      <StateLine v-else>The design has nothing at “{{ path }}”.</StateLine>
    </div>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: 130px 1fr;
  gap: 24px;
}
nav {
  display: flex;
  flex-direction: column;
  gap: 2px;
}
nav a {
  padding: 6px 10px;
  border-radius: 6px;
  color: var(--quiet);
}
nav a.here {
  background: var(--surface);
  color: var(--text);
  font-weight: 550;
  box-shadow: inset 0 0 0 1px var(--line);
}
.content {
  min-width: 0;
}
@media (max-width: 800px) {
  .page {
    grid-template-columns: 1fr;
    gap: 12px;
  }
  nav {
    flex-direction: row;
  }
}
</style>
