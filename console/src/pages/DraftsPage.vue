<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { api, Problem, wordsOf, type Draft } from '../api/client'
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import StateLine from '../components/kit/StateLine.vue'
import { useOutline } from '../composables/outline'
import { usePoll } from '../composables/latest'
import { count, moment } from '../format'

const { outline } = useOutline()
const router = useRouter()
const drafts = shallowRef<Draft[]>()
const running = ref(0)
const trouble = ref('')
const refusal = ref('')
const name = ref('')
const from = ref<'running' | 'nothing'>('running')

async function ask() {
  try {
    drafts.value = await api.drafts()
    running.value = (await api.versions()).versions[0]?.version ?? 0
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
const look = usePoll(ask, () => 5000)

/** What a design begins with that has nothing in it yet. */
const empty = (app: string) => `yalvo: 1\napp: ${app}\n\ncollections: {}\n`

async function begin() {
  refusal.value = ''
  try {
    const text = from.value === 'running' ? await api.source() : empty(outline.value!.app)
    await api.keepDraft(name.value, text, 0)
    await router.push(`/design/drafts/${name.value}`)
  } catch (error) {
    refusal.value = error instanceof Problem ? error.message : wordsOf(error)
  }
}
async function drop(d: Draft) {
  refusal.value = ''
  try {
    await api.dropDraft(d.name, d.edition)
  } catch (error) {
    refusal.value = wordsOf(error)
  }
  await look()
}
const stands = (d: Draft) =>
  d.base === running.value
    ? `from version ${d.base}, which is in force`
    : d.base === 0
      ? 'from nothing'
      : `from version ${d.base}; ${running.value} is in force now`
const ready = computed(() => name.value.trim() !== '')
</script>

<template>
  <div class="opening">
    <h1>Designs being worked on</h1>
    <p class="quiet">Kept here as they are typed, finished or not. Nothing changes until one is put in force.</p>
  </div>
  <PanelBox>
    <form class="begin" @submit.prevent="begin">
      <label>Begin a draft called <el-input v-model="name" placeholder="autumn-cards" data-act="name" /></label>
      <el-radio-group v-model="from" aria-label="what it begins from">
        <el-radio value="running">from the design in force</el-radio>
        <el-radio value="nothing">from nothing</el-radio>
      </el-radio-group>
      <el-button type="primary" native-type="submit" :disabled="!ready" data-act="begin">Begin</el-button>
    </form>
    <p v-if="refusal" class="warn" role="alert">{{ refusal }}</p>
  </PanelBox>
  <PanelBox>
    <StateLine v-if="trouble || !drafts" :loading="!drafts" :trouble="trouble" />
    <StateLine v-else-if="drafts.length === 0">
      There are none. Begin one above: it has an address of its own, which can be handed to a colleague.
    </StateLine>
    <DataTable v-else :columns="['draft', 'began', 'kept', 'by', ['bytes', 'number'], '']">
      <tr v-for="d in drafts" :key="d.name">
        <td>
          <RouterLink :to="`/design/drafts/${d.name}`" class="mono">{{ d.name }}</RouterLink>
        </td>
        <td>{{ stands(d) }}</td>
        <td class="quiet nowrap">{{ moment(d.changed) }}</td>
        <td>{{ d.author }}</td>
        <td class="number">{{ count(d.bytes) }}</td>
        <td class="number">
          <el-popconfirm
            title="Forget this draft? It cannot be got back."
            confirm-button-text="Forget it"
            @confirm="drop(d)"
          >
            <template #reference
              ><el-button size="small" :aria-label="`forget ${d.name}`" :data-drop="d.name">Forget</el-button></template
            >
          </el-popconfirm>
        </td>
      </tr>
    </DataTable>
  </PanelBox>
</template>

<style scoped>
.begin {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 20px;
}
.begin .el-input {
  width: 200px;
  margin-left: 6px;
}
.panel + .panel {
  margin-top: var(--gap);
  overflow-x: auto;
}
.warn {
  color: var(--warn);
  margin: 8px 0 0;
}
.nowrap {
  white-space: nowrap;
}
</style>
