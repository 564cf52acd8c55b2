<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import { ref, shallowRef, watch } from 'vue'
import { api, wordsOf, type Document, type OutlineCollection } from '../api/client'
import { useLatest } from '../composables/latest'
import { headField } from '../composables/place'
import { ago, inline } from '../format'

// What one of an account's names leads to, such as those who follow it.
const props = defineProps<{ path: string; collection: OutlineCollection; acts: number }>()

const shown = 30
const documents = shallowRef<Document[]>()
const more = ref(false)
const trouble = ref('')
const latest = useLatest()

watch(
  () => props.path,
  () => (documents.value = undefined),
)
watch(
  () => [props.path, props.acts],
  () => {
    void latest(
      () => api.list(props.path, { limit: shown }),
      (page) => {
        documents.value = page.documents
        more.value = Boolean(page.next)
        trouble.value = ''
      },
      (error) => (trouble.value = wordsOf(error)),
    )
  },
  { immediate: true },
)

const head = (d: Document) => inline(d.facts[headField(props.collection) ?? ''])
</script>

<template>
  <StateLine v-if="trouble" :trouble="trouble" />
  <StateLine v-else-if="documents === undefined" loading />
  <StateLine v-else-if="documents.length === 0">Nothing is here.</StateLine>
  <ul v-else>
    <li v-for="d in documents" :key="d.path">
      <RouterLink :to="`/documents/${d.path}`">{{ d.id }}</RouterLink>
      <span class="head">{{ head(d) }}</span>
      <time v-if="d.since" class="quiet" :datetime="d.since">{{ ago(d.since) }}</time>
    </li>
  </ul>
  <p v-if="more" class="quiet">
    The newest {{ shown }}; the rest is under <RouterLink :to="`/documents/${path}`">Documents</RouterLink>.
  </p>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: var(--radius);
}
li {
  display: grid;
  grid-template-columns: minmax(90px, 30%) 1fr auto;
  gap: 10px;
  padding: 7px 14px;
  align-items: baseline;
}
li + li {
  border-top: 1px solid var(--line);
}
.head {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li > a {
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
