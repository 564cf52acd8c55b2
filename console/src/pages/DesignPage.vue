<script setup lang="ts">
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { ElMessage } from 'element-plus'
import { computed, ref, shallowRef } from 'vue'
import { api, wordsOf, type Brought, type DesignVersion, type Difference, type Misfits } from '../api/client'
import DesignDifference from '../components/DesignDifference.vue'
import PathLink from '../components/PathLink.vue'
import VersionSteps from '../components/VersionSteps.vue'
import { usePoll } from '../composables/latest'
import { renewOutline, useOutline } from '../composables/outline'
import { count, moment } from '../format'

const { outline } = useOutline()
const versions = shallowRef<DesignVersion[]>()
const misfits = shallowRef<Misfits[]>([])
const brought = shallowRef<Brought[]>([])
const trouble = ref('')
const now = computed(() => versions.value?.[0])

async function ask() {
  try {
    versions.value = (await api.versions()).versions
    misfits.value = (await api.misfits()).misfits
    brought.value = (await api.brought()).brought
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
const look = usePoll(ask, () => (now.value && !now.value.done ? 300 : 4000))

const headline = computed(() => {
  if (!now.value) return ''
  if (now.value.done) return `Version ${now.value.version} of ${outline.value?.app ?? 'the design'} is in force`
  const done = now.value.steps.filter((s) => s.state === 'done').length
  return `Version ${now.value.version} is in force, ${done} of ${now.value.steps.length} steps are done`
})

/** What is compared with the design in force: a file, or an earlier version. */
interface Compared {
  name: string
  difference: Difference
  apply: (drop: string[]) => Promise<unknown>
}
const compared = shallowRef<Compared>()
const lose = ref<string[]>([])
const busy = ref(false)

async function attempt(what: () => Promise<void>) {
  busy.value = true
  try {
    await what()
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 10000 })
  } finally {
    busy.value = false
  }
}

const compareFile = (file: File) =>
  attempt(async () => {
    const source = await file.text()
    const difference = await api.difference(file.name, source)
    lose.value = []
    compared.value = {
      name: file.name,
      difference,
      apply: (drop) => api.applyDesign(file.name, source, difference.base, drop),
    }
  })
const compareVersion = (version: number) =>
  attempt(async () => {
    const difference = await api.differenceBack(version)
    lose.value = []
    compared.value = {
      name: `version ${version}`,
      difference,
      apply: (drop) => api.goBack(version, difference.base, drop),
    }
  })
const apply = () =>
  attempt(async () => {
    await compared.value!.apply(lose.value)
    compared.value = undefined
    await Promise.all([look(), renewOutline()])
  })
const choose = (event: Event) => {
  const input = event.target as HTMLInputElement
  if (input.files?.[0]) void compareFile(input.files[0])
  input.value = ''
}
const summary = (v: DesignVersion) =>
  v.version === 1
    ? 'the first'
    : v.changes.length === 0
      ? 'the wording'
      : v.changes.length > 3
        ? `${v.changes.length} things`
        : v.changes.map((c) => c.name).join(', ')
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="now">
    <PanelBox class="answer" :class="{ busy: !now.done }">
      <div class="head">
        <div>
          <h1 aria-live="polite">{{ headline }}</h1>
          <p class="quiet">
            {{ moment(now.applied) }}<template v-if="now.author">, by {{ now.author }}</template
            >, from {{ now.file }}. Compare a design file with it: nothing changes until it is put in force.
          </p>
        </div>
        <label class="file"
          ><input type="file" accept=".yaml,.yml,.json" data-act="compare" @change="choose" /><span
            >Compare a file…</span
          ></label
        >
      </div>
      <VersionSteps v-if="!now.done" :version="now" />
    </PanelBox>

    <PanelBox v-if="compared" data-part="difference">
      <h2>What {{ compared.name }} would change</h2>
      <DesignDifference :difference="compared.difference" />
      <el-checkbox-group v-if="compared.difference.drops.length" v-model="lose" class="lose">
        <el-checkbox
          v-for="d in compared.difference.drops"
          :key="d"
          :value="d"
          :label="`lose what is stored of ${d}`"
        />
      </el-checkbox-group>
      <div class="acts">
        <el-button
          type="primary"
          :disabled="busy || lose.length < compared.difference.drops.length"
          data-act="apply"
          @click="apply"
          >Put it in force</el-button
        >
        <el-button :disabled="busy" @click="compared = undefined">Leave it</el-button>
      </div>
    </PanelBox>

    <PanelBox v-if="misfits.length" data-part="misfits">
      <h2>Facts that do not fit this design</h2>
      <p class="quiet">They can be read, and edited otherwise. Each is off the list as soon as it fits.</p>
      <DataTable :columns="['field', ['many', 'number'], 'for example', 'why']">
        <tr v-for="m in misfits" :key="m.of + m.field + m.code">
          <td class="mono">{{ m.of }}.{{ m.field }}</td>
          <td class="number">{{ count(m.many) }}</td>
          <td><PathLink v-if="m.examples[0]" :path="m.examples[0].path" /></td>
          <td>{{ m.examples[0]?.detail }}</td>
        </tr>
      </DataTable>
    </PanelBox>

    <PanelBox v-for="b in brought" :key="b.at" data-part="brought">
      <h2>Brought along: {{ count(b.documents) }} documents and {{ count(b.pairs) }} pairs</h2>
      <p class="quiet">
        {{ b.at ? moment(b.at) : '' }}. {{ count(b.checked) }} old duplicates were compared with the facts{{
          b.wrong.length ? '. What was wrong:' : ', and nothing was wrong.'
        }}
      </p>
      <DataTable v-if="b.wrong.length" :columns="['what', ['many', 'number'], 'of', 'for example', 'was', 'is']">
        <tr v-for="w in b.wrong" :key="w.kind + w.where">
          <td class="nowrap">{{ w.kind }}</td>
          <td class="number">{{ count(w.many) }}</td>
          <td class="mono">{{ w.where }}</td>
          <td class="mono">{{ w.examples[0]?.what }}</td>
          <td>{{ w.examples[0]?.had }}</td>
          <td>{{ w.examples[0]?.is }}</td>
        </tr>
      </DataTable>
    </PanelBox>

    <PanelBox>
      <h2>Versions so far</h2>
      <DataTable :columns="[['version', 'number'], 'put in force', 'by', 'file', 'changed', 'what it asked for', '']">
        <tr v-for="v in versions" :key="v.version">
          <td class="number">{{ v.version }}</td>
          <td class="quiet nowrap">{{ moment(v.applied) }}</td>
          <td>{{ v.author }}</td>
          <td>{{ v.file }}</td>
          <td>{{ summary(v) }}</td>
          <td>{{ v.steps.length === 0 ? 'nothing' : v.done ? 'done' : 'under way' }}</td>
          <td class="number">
            <el-button
              v-if="v.version !== now.version"
              size="small"
              :disabled="busy"
              :data-back="v.version"
              @click="compareVersion(v.version)"
              >Compare</el-button
            >
          </td>
        </tr>
      </DataTable>
    </PanelBox>
  </template>
</template>

<style scoped>
.answer {
  border-left: 4px solid var(--accent);
}
.answer.busy {
  border-left-style: dashed;
}
.head {
  display: flex;
  gap: var(--gap);
  justify-content: space-between;
  align-items: flex-start;
}
.head p {
  margin: 2px 0 8px;
}
.panel {
  overflow-x: auto;
}
.panel + .panel {
  margin-top: var(--gap);
}
.panel p {
  margin-top: 2px;
}
.nowrap {
  white-space: nowrap;
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
.lose {
  display: flex;
  flex-direction: column;
  margin-top: 8px;
}
.file {
  white-space: nowrap;
  cursor: pointer;
}
.file input {
  position: absolute;
  opacity: 0;
  width: 1px;
  height: 1px;
}
.file span {
  display: inline-block;
  padding: 5px 14px;
  border: 1px solid var(--accent);
  border-radius: 4px;
  color: var(--accent);
}
.file:hover span {
  background: var(--accent-soft);
}
.file input:focus-visible + span {
  outline: 2px solid var(--accent);
  outline-offset: 2px;
}
@media (max-width: 640px) {
  .head {
    flex-wrap: wrap;
  }
}
</style>
