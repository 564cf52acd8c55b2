<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import DataTable from './kit/DataTable.vue'
import PanelBox from './kit/PanelBox.vue'
import { ElMessage, ElMessageBox } from 'element-plus'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, wordsOf, type Document, type Place as Elsewhere, type Values } from '../api/client'
import { useLatest } from '../composables/latest'
import type { Place } from '../composables/place'
import { headField } from '../composables/place'
import { count, duration, inline, moment } from '../format'
import DocumentForm from './DocumentForm.vue'
import KeptRow from './KeptRow.vue'
import PathLink from './PathLink.vue'
import ValueView from './ValueView.vue'

const props = defineProps<{ place: Place }>()
const router = useRouter()

const doc = shallowRef<Document>()
const places = shallowRef<Elsewhere[]>([])
const trouble = ref('')
const editing = ref(false)

const parent = computed(() => props.place.path.split('/').slice(0, -1).join('/'))
const heading = computed(() => {
  const name = headField(props.place.collection)
  return name && doc.value?.facts[name] ? inline(doc.value.facts[name]) : props.place.path
})

const latest = useLatest()
const load = () =>
  latest(
    async () => [await api.document(props.place.path), await api.places(props.place.path)] as const,
    ([document, found]) => {
      doc.value = document
      places.value = found.places
      trouble.value = ''
    },
    (error) => {
      doc.value = undefined
      trouble.value = wordsOf(error)
    },
  )
watch(() => props.place.path, load, { immediate: true })

async function save(facts: Values, as: string) {
  const started = performance.now()
  const { position } = await api.patch(props.place.path, facts, as, doc.value?.version)
  await api.settled(position)
  ElMessage({
    type: 'success',
    message: `Saved; everywhere it is copied to was settled after ${duration(performance.now() - started)}.`,
  })
  await load()
}

/** How much goes along with a document, in words. */
async function whatHangs(path: string) {
  try {
    const r = await api.removal(path)
    const parts = [
      ...r.documents.map((f) => `${count(f.many)}${r.more ? ' or more' : ''} of ${f.where}`),
      ...r.pairs.map((f) => `${count(f.many)} of the pairs ${f.where}`),
      ...r.places.map((p) => `${count(p.many)} copies in ${p.where}`),
    ]
    return parts.length ? `With it go ${parts.join(', ')}.` : 'Nothing hangs on it.'
  } catch {
    return '' // the removal itself will say what is wrong
  }
}

async function remove() {
  const hangs = await whatHangs(props.place.path)
  const sure = await ElMessageBox.confirm(`Remove ${props.place.path}? ${hangs}`, 'Remove', {
    confirmButtonText: 'Remove',
    type: 'warning',
  }).catch(() => undefined)
  if (!sure) return
  try {
    const { position } = await api.remove(props.place.path, '')
    await api.settled(position)
    await router.push(`/documents/${parent.value}`)
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  }
}
async function forget() {
  const path = props.place.path
  const sure = await ElMessageBox.confirm(
    `${await whatHangs(path)} ${path} goes with what hangs on it, and with every copy of what it said, frozen ones ` +
      'too. Then every table is searched for the rest. It cannot be undone.',
    `Forget ${path}?`,
    { confirmButtonText: 'Forget', type: 'warning' },
  ).catch(() => undefined)
  if (!sure) return
  try {
    await router.push(`/forgotten/${(await api.forget(path)).id}`)
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  }
}
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false">
    <RouterLink :to="`/documents/${parent}`">Back to {{ parent }}</RouterLink>
  </el-alert>
  <template v-if="doc">
    <div class="head">
      <div class="title">
        <h1>{{ heading }}</h1>
        <p class="quiet">
          <span class="mono">{{ doc.path }}</span> · version {{ doc.version }} · created {{ moment(doc.created) }} ·
          updated {{ moment(doc.updated) }}
        </p>
      </div>
      <el-button
        plain
        data-act="access"
        @click="router.push({ path: '/access', query: { kind: 'edit', document: doc.path } })"
        >Who may…</el-button
      >
      <el-button type="primary" plain @click="editing = true">Edit</el-button>
      <el-button plain @click="remove">Remove</el-button>
      <el-button plain data-act="forget" @click="forget">Forget</el-button>
    </div>
    <div class="halves">
      <PanelBox>
        <h2>Facts <span class="quiet">what was written</span></h2>
        <DataTable>
          <tr v-for="f in place.collection.fields" :key="f.name">
            <th scope="row">{{ f.name }}</th>
            <td><ValueView :value="doc.facts[f.name]" :to="f.to" :time="f.type === 'timestamp'" /></td>
          </tr>
        </DataTable>
        <template v-if="places.length">
          <h2 class="links">Duplicated to <span class="quiet">in how many places</span></h2>
          <DataTable>
            <tr v-for="p in places" :key="p.where">
              <td>{{ p.where }}</td>
              <td class="quiet">{{ p.values.join(', ') || 'counted' }}</td>
              <td class="number">{{ count(p.many) }}</td>
            </tr>
          </DataTable>
        </template>
      </PanelBox>
      <PanelBox>
        <h2>Kept <span class="quiet">what Yalvo derives, and from what</span></h2>
        <StateLine v-if="place.collection.kept.length === 0">Nothing is kept in {{ place.collection.name }}.</StateLine>
        <DataTable v-else>
          <KeptRow
            v-for="k in place.collection.kept"
            :key="doc.path + k.name"
            :path="doc.path"
            :kept="k"
            :value="doc.kept[k.name]"
            :building="doc.building?.includes(k.name) ?? false"
          />
        </DataTable>
        <template v-if="place.collection.links.length">
          <h2 class="links">Leads to</h2>
          <ul>
            <li v-for="l in place.collection.links" :key="l.name">
              <PathLink :path="`${doc.path}/${l.name}`" :label="l.name" />
            </li>
          </ul>
        </template>
      </PanelBox>
    </div>
    <DocumentForm
      v-model="editing"
      :collection="place.collection"
      :facts="doc.facts"
      :title="`Edit ${doc.path}`"
      :save="save"
    />
  </template>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: flex-start;
  gap: 8px;
  margin-bottom: 12px;
}
.title {
  flex: 1;
  min-width: 240px;
}
.title h1 {
  overflow-wrap: anywhere;
}
.title p {
  margin: 2px 0 0;
}
h2 .quiet {
  font-weight: 400;
  margin-left: 6px;
}
.halves {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--gap);
  align-items: start;
}
.plain th {
  vertical-align: top;
  padding-top: 5px;
  border-top: 1px solid var(--line);
  width: 1%;
}
.links {
  margin-top: 20px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}
@media (max-width: 900px) {
  .halves {
    grid-template-columns: 1fr;
  }
}
</style>
