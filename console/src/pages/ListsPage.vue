<script setup lang="ts">
import StateLine from '../components/kit/StateLine.vue'
import DataTable from '../components/kit/DataTable.vue'
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf, type Document } from '../api/client'
import AccountPicker from '../components/AccountPicker.vue'
import PathLink from '../components/PathLink.vue'
import { useLatest } from '../composables/latest'
import { useOutline } from '../composables/outline'
import { headField } from '../composables/place'
import { ago, count, inline, moment } from '../format'

// A list of the design as an account sees it. What is asked stands in the address.
const { outline } = useOutline()
const route = useRoute()
const router = useRouter()

const lists = computed(() => outline.value?.lists ?? [])
const list = computed(() => lists.value.find((l) => l.name === (route.params.list || lists.value[0]?.name)))
const entries = computed(() => outline.value?.collections.find((c) => c.name === list.value?.entries))

const pageSize = 25
const as = ref('')
const of = ref('')
const given = reactive<Record<string, string>>({})
const documents = shallowRef<Document[]>()
const next = ref('')
const trouble = ref('')
const latest = useLatest()

/** What the list takes besides the document it is asked for. */
const takes = computed(() => {
  const l = list.value
  if (!l) return []
  const params = l.params.map((p) => ({
    name: p.name,
    hint: p.required ? p.type : `${p.type}, else ${inline(p.default ?? 'now')}`,
    required: p.required,
  }))
  return l.looks
    ? [
        ...params,
        { name: l.looks, hint: l.looks === 'words' ? 'words that are in it' : 'how it begins', required: true },
      ]
    : params
})
/** How the account may be paired with the entries. */
const marks = computed(() => {
  const accounts = outline.value?.collections.find((c) => c.name === outline.value?.accounts)
  return (accounts?.links ?? []).filter((l) => l.kind === 'pair' && l.to === list.value?.entries).map((l) => l.name)
})
const ready = computed(
  () => list.value && (!list.value.of || of.value) && takes.value.every((t) => !t.required || given[t.name]),
)

/** The values a list is ordered by, of those the entries hold. */
const ordered = computed(() =>
  (list.value?.order ?? [])
    .map((o) => o.replace(/ up$/, ''))
    .filter((o) => !['created', 'updated', 'paired'].includes(o)),
)
const isKept = (name: string) => entries.value?.kept.some((k) => k.name === name)
const valueOf = (d: Document, name: string) => (isKept(name) ? d.kept[name] : d.facts[name])
const head = (d: Document) => inline(d.facts[(entries.value && headField(entries.value)) ?? ''])
const marked = (d: Document) =>
  Object.entries(d.marks ?? {})
    .filter(([, m]) => m)
    .map(([name]) => name)
const pairs = computed(() => documents.value?.some((d) => d.pair && Object.keys(d.pair).length))

const inWords = computed(() => {
  const l = list.value
  if (!l) return ''
  const times: Record<string, string> = {
    created: 'newest first',
    'created up': 'oldest first',
    paired: 'newest pair first',
    'paired up': 'oldest pair first',
  }
  const order = l.order.map(
    (o) => times[o] ?? (o.endsWith(' up') ? `least ${o.slice(0, -3)} first` : `most ${o} first`),
  )
  return `${l.entries}${l.of ? ` of one of ${l.of}` : ''}: ${order.join(', then ')}`
})

const served = computed(() => {
  const { index, reads } = list.value!.serving
  const shown = documents.value ? ` ${count(documents.value.length)} shown.` : ''
  return `Read by an index on ${index}${reads && `; besides, ${reads}`}.${shown}`
})

async function load(more = false) {
  const l = list.value
  if (!l || !ready.value) return
  const query = {
    ...Object.fromEntries(takes.value.map((t) => [t.name, given[t.name] ?? ''])),
    limit: pageSize,
    cursor: more ? next.value : '',
    marks: as.value ? marks.value.join(',') : '',
  }
  await latest(
    () => api.named(l.name, l.of ? of.value : '', query, as.value),
    (page) => {
      documents.value = more ? [...(documents.value ?? []), ...page.documents] : page.documents
      next.value = page.next ?? ''
      trouble.value = ''
    },
    (error) => {
      documents.value = undefined
      trouble.value = wordsOf(error)
    },
  )
}

function goAs(account: string) {
  as.value = account
  void go()
}

async function go(name = list.value?.name) {
  const query = Object.fromEntries(Object.entries({ as: as.value, of: of.value, ...given }).filter(([, v]) => v))
  await router.push({ path: `/lists/${name}`, query })
}
watch(
  () => [route.fullPath, outline.value],
  () => {
    as.value = String(route.query.as ?? '')
    of.value = String(route.query.of ?? '')
    for (const t of takes.value) given[t.name] = String(route.query[t.name] ?? '')
    documents.value = undefined
    trouble.value = ''
    void load()
  },
  { immediate: true },
)
</script>

<template>
  <p v-if="lists.length === 0" class="panel quiet">The design in force declares no lists.</p>
  <div v-else class="page">
    <nav aria-label="lists">
      <a
        v-for="l in lists"
        :key="l.name"
        :href="`/lists/${l.name}`"
        :class="{ here: l === list }"
        @click.prevent="go(l.name)"
        >{{ l.name }}</a
      >
    </nav>
    <section v-if="list" class="content">
      <h1>{{ list.name }}</h1>
      <p class="quiet what">{{ inWords }}</p>
      <form @submit.prevent="go()">
        <div v-if="outline?.accounts" class="who">
          <AccountPicker :account="as" :collection="outline.accounts" @choose="goAs" />
        </div>
        <el-input
          v-if="list.of"
          v-model="of"
          :aria-label="`of which of ${list.of}`"
          :placeholder="`the id of one of ${list.of}`"
          class="of"
          ><template #prepend>of</template></el-input
        >
        <el-input
          v-for="t in takes"
          :key="t.name"
          v-model="given[t.name]"
          :aria-label="t.name"
          :placeholder="t.hint"
          class="param"
          ><template #prepend>{{ t.name }}</template></el-input
        >
        <el-button type="primary" native-type="submit" data-act="ask">Show</el-button>
      </form>
      <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
      <p v-else-if="!ready" class="quiet">
        It is asked for
        {{
          [
            list.of && !of && `one of ${list.of}`,
            ...takes.filter((t) => t.required && !given[t.name]).map((t) => t.name),
          ]
            .filter(Boolean)
            .join(' and ')
        }}.
      </p>
      <StateLine v-else-if="documents && documents.length === 0"
        >Nothing is in it{{ as ? ` for ${as}` : '' }}.</StateLine
      >
      <div v-else-if="documents" class="panel scroll">
        <DataTable data-part="entries"
          ><template #head>
            <th>id</th>
            <th v-for="o in ordered" :key="o" class="number">
              <span :class="{ kept: isKept(o) }">{{ o }}</span>
            </th>
            <th>{{ (entries && headField(entries)) ?? '' }}</th>
            <th v-if="pairs">pair</th>
            <th v-if="as && marks.length">{{ as }} has</th>
            <th>{{ documents.some((d) => d.since) ? 'since' : 'created' }}</th>
          </template>
          <tr v-for="d in documents" :key="d.path" :class="{ top: d.top }">
            <td class="id"><PathLink :path="d.path" :label="d.id" /><span v-if="d.top" class="quiet"> on top</span></td>
            <td v-for="o in ordered" :key="o" class="number">
              <span :class="{ kept: isKept(o) }">{{ inline(valueOf(d, o)) }}</span>
            </td>
            <td>
              <div class="cell">{{ head(d) }}</div>
            </td>
            <td v-if="pairs">
              {{
                Object.entries(d.pair ?? {})
                  .map(([name, v]) => `${name} ${inline(v)}`)
                  .join(' · ')
              }}
            </td>
            <td v-if="as && marks.length">{{ marked(d).join(', ') || '–' }}</td>
            <td class="quiet when" :title="moment(d.since ?? d.created)">{{ ago(d.since ?? d.created) }}</td>
          </tr>
        </DataTable>
        <el-button v-if="next" class="more" @click="load(true)">More</el-button>
      </div>
      <p class="quiet served">{{ served }}</p>
    </section>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: 150px 1fr;
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
  overflow-wrap: anywhere;
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
.what {
  margin: 4px 0 12px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 14px;
}
.who,
.of,
.param {
  width: 240px;
}
.scroll {
  overflow-x: auto;
}
.id,
.when {
  white-space: nowrap;
}
.cell {
  max-width: 460px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
tr.top td {
  font-weight: 550;
}
.more {
  margin-top: 12px;
}
.served {
  margin-top: 10px;
}
@media (max-width: 800px) {
  .page {
    grid-template-columns: 1fr;
    gap: 12px;
  }
  nav {
    flex-direction: row;
    flex-wrap: wrap;
  }
  .who,
  .of,
  .param {
    width: 100%;
  }
  .cell {
    max-width: 210px;
  }
}
</style>
