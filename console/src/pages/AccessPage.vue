<script setup lang="ts">
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf, type Outcome, type Trial } from '../api/client'
import AccountPicker from '../components/AccountPicker.vue'
import RuleParts from '../components/RuleParts.vue'
import { useLatest } from '../composables/latest'
import { useOutline } from '../composables/outline'

// Whether an account may do something, and by which rules. What is tried stands in the address.
const { outline } = useOutline()
const route = useRoute()
const router = useRouter()

interface Kind {
  label: string
  op: Trial['do']
  about: 'document' | 'pair' | 'timeline' | 'list'
  facts?: boolean
}
const kinds: Record<string, Kind> = {
  read: { label: 'read', op: 'read', about: 'document' },
  create: { label: 'create', op: 'create', about: 'document', facts: true },
  edit: { label: 'edit', op: 'edit', about: 'document', facts: true },
  remove: { label: 'remove', op: 'remove', about: 'document' },
  set: { label: 'set a pair', op: 'set', about: 'pair', facts: true },
  unset: { label: 'unset a pair', op: 'unset', about: 'pair' },
  pair: { label: 'read a pair', op: 'read', about: 'pair' },
  timeline: { label: 'read a timeline', op: 'read', about: 'timeline' },
  list: { label: 'read a list', op: 'read', about: 'list' },
}
const asked = (name: string) => String(route.query[name] ?? '')
const form = reactive({
  as: '',
  kind: 'read',
  document: '',
  pair: '',
  from: '',
  to: '',
  timeline: '',
  owner: '',
  list: '',
  of: '',
  facts: '',
})
const kind = computed(() => kinds[form.kind] ?? kinds.read!)

/** The collection of the document that the list is asked for, empty for none. */
const listOf = computed(() => outline.value?.lists.find((l) => l.name === form.list)?.of ?? '')

const outcome = shallowRef<Outcome>()
const tried = ref('')
const trouble = ref('')
const latest = useLatest()

/** What the form says, or why it says nothing yet. */
function trial(): Trial | string {
  const t: Trial = { as: form.as || null, do: kind.value.op }
  if (kind.value.about === 'document') t.document = form.document.trim()
  if (kind.value.about === 'pair') Object.assign(t, { pair: form.pair, from: form.from.trim(), to: form.to.trim() })
  if (kind.value.about === 'timeline') Object.assign(t, { timeline: form.timeline, owner: form.owner.trim() })
  if (kind.value.about === 'list') Object.assign(t, { list: form.list, ...(listOf.value && { of: form.of.trim() }) })
  if (kind.value.facts && form.facts.trim()) {
    try {
      t.facts = JSON.parse(form.facts)
    } catch {
      return 'The facts must be JSON, as in {"text": "a heron"}.'
    }
  }
  return t
}

const inWords = () => {
  const what = {
    document: form.document,
    pair: `${form.pair} ${form.from} → ${form.to}`,
    timeline: `${form.timeline} of ${form.owner}`,
    list: `${form.list}${listOf.value && ` of ${form.of}`}`,
  }
  return `${form.as || 'A stranger'}|${kind.value.op} ${what[kind.value.about]}`
}

async function ask() {
  const t = trial()
  if (typeof t === 'string') {
    trouble.value = t
    return
  }
  await latest(
    () => api.tryAccess(t),
    (answer) => {
      outcome.value = answer
      tried.value = inWords()
      trouble.value = ''
    },
    (error) => {
      outcome.value = undefined
      trouble.value = wordsOf(error)
    },
  )
}

function goAs(account: string) {
  form.as = account
  void go()
}

async function go() {
  const query = Object.fromEntries(Object.entries(form).filter(([, v]) => v !== ''))
  await router.replace({ query })
}
watch(
  () => route.query,
  () => {
    for (const name of Object.keys(form) as (keyof typeof form)[]) form[name] = asked(name)
    form.kind = form.kind in kinds ? form.kind : 'read'
    form.pair ||= outline.value?.pairs[0]?.name ?? ''
    form.timeline ||= outline.value?.timelines[0]?.name ?? ''
    form.list ||= outline.value?.lists[0]?.name ?? ''
    const about = {
      document: form.document,
      pair: form.from && form.to,
      timeline: form.owner,
      list: form.list && (!listOf.value || form.of),
    }
    if (about[kind.value.about]) void ask()
  },
  { immediate: true },
)

const verdict = computed(() => {
  if (!outcome.value) return 'Who may do what?'
  const [who, what] = tried.value.split('|')
  return `${who} ${outcome.value.allowed ? 'may' : 'may not'} ${what}`
})
const because = computed(() => {
  const o = outcome.value
  if (!o)
    return 'Try something as an account or as a stranger: nothing is done, and every rule that has a say is shown.'
  if (o.allowed) return 'Every rule that stands before it holds.'
  const told = o.words?.length ? ` They are told: “${o.words.join('; ')}”.` : ''
  return (
    (o.missing
      ? `The rule ${o.refused} refuses it, and for them it is not there.`
      : `The rule ${o.refused} refuses it.`) + told
  )
})
</script>

<template>
  <PanelBox class="answer" :class="{ no: outcome && !outcome.allowed }" data-part="verdict">
    <h1 aria-live="polite">{{ verdict }}</h1>
    <p class="quiet">{{ because }}</p>
    <form @submit.prevent="go">
      <div v-if="outline?.accounts" class="who">
        <AccountPicker :account="form.as" :collection="outline.accounts" @choose="goAs" />
      </div>
      <el-button :disabled="!form.as" @click="goAs('')">a stranger</el-button>
      <el-select v-model="form.kind" aria-label="what is tried" class="kind">
        <el-option v-for="(k, name) in kinds" :key="name" :value="name" :label="k.label" />
      </el-select>
      <el-input
        v-if="kind.about === 'document'"
        v-model="form.document"
        aria-label="path"
        :placeholder="form.kind === 'create' ? 'a collection, as in sightings' : 'a path, as in sightings/s00001'"
        class="path"
      />
      <template v-else-if="kind.about === 'pair'">
        <el-select v-model="form.pair" aria-label="pair" class="kind"
          ><el-option v-for="p in outline?.pairs" :key="p.name" :value="p.name" :label="p.name"
        /></el-select>
        <el-input v-model="form.from" aria-label="from" placeholder="from" class="end" />
        <el-input v-model="form.to" aria-label="to" placeholder="to" class="end" />
      </template>
      <template v-else-if="kind.about === 'list'">
        <el-select v-model="form.list" aria-label="list" class="kind"
          ><el-option v-for="l in outline?.lists" :key="l.name" :value="l.name" :label="l.name"
        /></el-select>
        <el-input v-if="listOf" v-model="form.of" aria-label="of" :placeholder="`of which of ${listOf}`" class="end" />
      </template>
      <template v-else>
        <el-select v-model="form.timeline" aria-label="timeline" class="kind"
          ><el-option v-for="t in outline?.timelines" :key="t.name" :value="t.name" :label="t.name"
        /></el-select>
        <el-input v-model="form.owner" aria-label="owner" placeholder="whose" class="end" />
      </template>
      <el-input
        v-if="kind.facts"
        v-model="form.facts"
        aria-label="facts"
        placeholder='facts, as in {"text": "a heron"}'
        class="path"
      />
      <el-button type="primary" native-type="submit" data-act="try">Try it</el-button>
    </form>
    <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
    <ol v-if="outcome" data-part="steps">
      <li v-for="s in outcome.steps" :key="s.rule + s.about">
        <p>
          <strong class="mono">{{ s.rule }}</strong>
          {{ ' ' }}
          <span class="quiet">{{
            [s.about && `of ${s.about}`, s.line && `line ${s.line}`].filter(Boolean).join(', ')
          }}</span>
        </p>
        <RuleParts :parts="[{ text: s.condition ?? 'no rule allows it', value: s.value, parts: s.parts }]" />
      </li>
    </ol>
  </PanelBox>

  <PanelBox v-if="outline" data-part="rules">
    <template v-if="outline.access.guarded">
      <h2>Rules in force</h2>
      <p v-if="outline.access.nobody.length" class="quiet">
        What no rule allows, operators alone may: {{ outline.access.nobody.join(', ') }}.
      </p>
      <DataTable
        :columns="['rule', 'holds if', ['documents', 'number'], ['pairs', 'number'], ['statements', 'number'], 'pages']"
      >
        <tr v-for="r in outline.access.rules" :key="r.name">
          <td class="mono">{{ r.name }}</td>
          <td>
            <code>{{ r.condition }}</code>
          </td>
          <td class="number">{{ r.documents }}</td>
          <td class="number">{{ r.pairs }}</td>
          <td class="number">{{ r.statements }}</td>
          <td>{{ r.in_page ? 'in their statement' : '' }}</td>
        </tr>
      </DataTable>
    </template>
    <template v-else>
      <h2>The design says nothing about access</h2>
      <p class="quiet">Operators do everything, and nobody else anything. Give it an <code>access</code> section.</p>
    </template>
  </PanelBox>
</template>

<style scoped>
.answer {
  border-left: 4px solid var(--accent);
}
.answer.no {
  border-left-color: var(--warn);
}
.answer > p {
  margin: 2px 0 10px;
}
h1 {
  overflow-wrap: anywhere;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 10px;
}
.who {
  width: 240px;
}
.kind {
  width: 150px;
}
.end {
  width: 180px;
}
.path {
  flex: 1;
  min-width: 220px;
}
ol {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
ol p {
  margin: 6px 0 0;
}
code {
  font-family: ui-monospace, monospace;
  font-size: 13px;
  overflow-wrap: anywhere;
}
.panel + .panel {
  margin-top: var(--gap);
}
.panel {
  overflow-x: auto;
}
@media (max-width: 640px) {
  .who,
  .kind,
  .end,
  .path {
    width: 100%;
  }
}
</style>
