<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import DataTable from './kit/DataTable.vue'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, wordsOf, type Document, type Values } from '../api/client'
import { useLatest } from '../composables/latest'
import type { Place } from '../composables/place'
import { inline } from '../format'
import DocumentForm from './DocumentForm.vue'
import PathLink from './PathLink.vue'

const props = defineProps<{ place: Place }>()
const router = useRouter()

const documents = shallowRef<Document[]>([])
const next = ref('')
const prefix = ref('')
const trouble = ref('')
const loaded = ref(false)
const adding = ref(false)
const pageSize = 25

const top = computed(() => !props.place.path.includes('/'))
const nested = computed(() => props.place.path.includes('/') && !canAdd.value)
const canAdd = computed(() => props.place.path.endsWith(props.place.collection.name))
const facts = computed(() =>
  props.place.collection.fields
    .filter((f) => !['object', 'media'].includes(f.type))
    .slice(0, 2)
    .map((f) => f.name),
)
const kept = computed(() => props.place.collection.kept.slice(0, 3).map((k) => k.name))

const latest = useLatest()
async function load(more = false) {
  const query: Record<string, string | number> = { limit: pageSize, cursor: more ? next.value : '' }
  if (top.value) query.prefix = prefix.value
  await latest(
    () => api.list(props.place.path, query),
    (page) => {
      documents.value = more ? [...documents.value, ...page.documents] : page.documents
      next.value = page.next ?? ''
      trouble.value = ''
      loaded.value = true
    },
    (error) => {
      trouble.value = wordsOf(error)
      loaded.value = true
    },
  )
}
watch(
  () => props.place.path,
  () => {
    prefix.value = ''
    documents.value = []
    loaded.value = false
    void load()
  },
  { immediate: true },
)

async function add(facts: Values, as: string, id: string) {
  const { body, position } = await api.create(props.place.path, facts, as, id)
  await api.settled(position)
  await router.push(`/documents/${body.path}`)
}
</script>

<template>
  <div class="head">
    <h1 class="name">{{ place.path }}</h1>
    <el-input
      v-if="top"
      v-model="prefix"
      class="find"
      placeholder="id begins with"
      clearable
      aria-label="id begins with"
      @input="load()"
    />
    <el-button v-if="canAdd" type="primary" plain @click="adding = true">Add one</el-button>
  </div>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <StateLine v-else-if="loaded && documents.length === 0">
    {{ prefix ? `No id begins with “${prefix}”.` : 'Nothing is here yet.' }}
  </StateLine>
  <div v-else class="panel scroll">
    <DataTable
      ><template #head>
        <th>id</th>
        <th v-for="name in facts" :key="name">{{ name }}</th>
        <th v-for="name in kept" :key="name">
          <span class="kept">{{ name }}</span>
        </th>
      </template>
      <tr v-for="d in documents" :key="d.path">
        <td class="id"><PathLink :path="d.path" :label="nested ? d.path : d.id" /></td>
        <td v-for="name in facts" :key="name">
          <div class="cell">{{ inline(d.facts[name]) }}</div>
        </td>
        <td v-for="name in kept" :key="name">
          <div class="cell kept" :class="{ number: typeof d.kept[name] === 'number' }">
            {{ inline(d.kept[name]) }}
          </div>
        </td>
      </tr>
    </DataTable>
    <el-button v-if="next" class="more" @click="load(true)">More</el-button>
  </div>
  <DocumentForm v-model="adding" :collection="place.collection" :title="`Add to ${place.path}`" :save="add" />
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 12px;
  margin-bottom: 12px;
}
.name {
  overflow-wrap: anywhere;
  flex: 1;
}
.find {
  width: 200px;
}
.cell.kept {
  max-width: 190px;
}
.scroll {
  overflow-x: auto;
}
.id {
  white-space: nowrap;
}
td {
  max-width: 300px;
}
.cell {
  max-width: 290px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.more {
  margin-top: 12px;
}
</style>
