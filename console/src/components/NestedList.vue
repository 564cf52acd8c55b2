<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import { ref, shallowRef, watch } from 'vue'
import { api, wordsOf, type Document, type OutlineCollection } from '../api/client'
import { useLatest } from '../composables/latest'
import { headField } from '../composables/place'
import { ago, inline } from '../format'

// What is nested under an entry, such as remarks, and a line to add one.
const props = defineProps<{
  path: string
  collection: OutlineCollection
  account: string
  busy: boolean
  acts: number
}>()
const emit = defineEmits<{ add: [text: string] }>()

const shown = 20
const documents = shallowRef<Document[]>()
const trouble = ref('')
const draft = ref('')
const latest = useLatest()

watch(
  () => [props.path, props.acts],
  () => {
    void latest(
      () => api.list(`${props.path}/${props.collection.name}`, { limit: shown }),
      (page) => {
        documents.value = page.documents.sort((a, b) => a.created.localeCompare(b.created))
        trouble.value = ''
      },
      (error) => (trouble.value = wordsOf(error)),
    )
  },
  { immediate: true },
)

const text = (d: Document) => inline(d.facts[headField(props.collection) ?? ''])
const author = (d: Document) => {
  const name = props.collection.fields.find((f) => f.by_me)?.name
  return name ? inline(d.facts[name]) : ''
}

function add() {
  emit('add', draft.value)
  draft.value = ''
}
</script>

<template>
  <section class="nested" :aria-label="collection.name">
    <StateLine v-if="trouble" :trouble="trouble" />
    <ul>
      <li v-for="d in documents" :key="d.path">
        <strong>{{ author(d) }}</strong> {{ text(d) }} <span class="quiet">{{ ago(d.created) }}</span>
      </li>
    </ul>
    <form @submit.prevent="add">
      <el-input
        v-model="draft"
        size="small"
        :placeholder="`Add to ${collection.name} as ${account}`"
        :aria-label="`add to ${collection.name} as ${account}`"
      />
      <el-button
        size="small"
        native-type="submit"
        :disabled="busy || draft.trim() === ''"
        :data-act="`add-${collection.name}`"
        >Add</el-button
      >
    </form>
  </section>
</template>

<style scoped>
.nested {
  border-left: 2px solid var(--line);
  margin: 8px 0 4px;
  padding-left: 10px;
  font-size: 13px;
}
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
}
li {
  overflow-wrap: anywhere;
  padding: 1px 0;
}
form {
  display: flex;
  gap: 6px;
}
</style>
