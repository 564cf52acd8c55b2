<script setup lang="ts">
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { ElMessage } from 'element-plus'
import { computed, ref, shallowRef } from 'vue'
import { api, wordsOf, type Audit, type Drift } from '../api/client'
import DriftTable from '../components/DriftTable.vue'
import { usePoll } from '../composables/latest'
import { useOutline } from '../composables/outline'
import { count, duration, moment } from '../format'

const { outline } = useOutline()
const audits = shallowRef<Audit[]>()
const every = ref(0)
const chosen = ref<number>() // an earlier audit that is looked at
const drift = shallowRef<Drift[]>([])
const only = ref('')
const trouble = ref('')
const audit = computed(() => audits.value?.find((a) => a.id === chosen.value) ?? audits.value?.[0])
const left = computed(() => drift.value.filter((d) => !d.mended).length)

/** Everything that can be audited by itself, by its name in the design. */
const names = computed(() => [
  ...(outline.value?.timelines ?? []).map((t) => t.name),
  ...(outline.value?.collections ?? []).flatMap((c) => c.kept.map((k) => `${c.name}.${k.name}`)),
])

async function ask() {
  try {
    const got = await api.audits()
    audits.value = got.audits
    every.value = got.every_seconds
    drift.value = audit.value ? (await api.drift(audit.value.id)).drift : []
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
const look = usePoll(ask, () => (audit.value?.state === 'running' ? 300 : 3000))

function choose(id: typeof chosen.value) {
  chosen.value = id
  look()
}

async function act(what: () => Promise<unknown>) {
  try {
    await what()
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  }
  await look()
}

const begin = () =>
  act(async () => {
    chosen.value = undefined
    await api.beginAudit(only.value)
  })

const took = (a: Audit) => (a.ended ? duration(new Date(a.ended).getTime() - new Date(a.started).getTime()) : '')
const scope = (a: Audit) => [a.duplicate, a.document].filter(Boolean).join(' of ') || 'everything'

const headline = computed(() => {
  const a = audit.value
  if (!a) return 'Nothing has been audited yet'
  if (a.state === 'running') return a.progress < 1 ? 'Comparing every duplicate with the facts…' : 'Mending…'
  if (a.state !== 'finished') return `The audit ${a.state === 'stopped' ? 'was stopped' : 'failed'}`
  if (drift.value.length === 0) return a.drifted === 0 ? 'No drift: every duplicate is as the facts say' : 'Looking…'
  return left.value === 0 ? `${count(a.drifted)} had drifted, all of it is mended` : `${count(left.value)} drifted`
})
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <PanelBox v-if="audits" class="answer" :class="{ bad: left > 0, busy: audit?.state === 'running' }">
    <div class="head">
      <div>
        <h1 aria-live="polite">{{ headline }}</h1>
        <p v-if="audit" class="quiet">
          Audit {{ audit.id }} of {{ scope(audit) }}, {{ moment(audit.started) }}: {{ count(audit.checked) }} rows
          checked<template v-if="took(audit)"> in {{ took(audit) }}</template
          >.
          {{ audit.error }}
        </p>
        <p v-else class="quiet">
          An audit compares every kept value, pair and timeline with the facts, while writes go on. Work that is still
          due is not drift.
        </p>
      </div>
      <div class="acts">
        <el-button
          v-if="left > 0 && audit?.state === 'finished'"
          type="primary"
          data-act="mend"
          @click="act(() => api.auditAct(audit!.id, 'mend'))"
          >Mend {{ count(left) }}</el-button
        >
        <el-button v-if="audit?.state === 'running'" data-act="stop" @click="act(() => api.auditAct(audit!.id, 'stop'))"
          >Stop</el-button
        >
        <el-button
          v-if="audit?.state === 'stopped'"
          data-act="resume"
          @click="act(() => api.auditAct(audit!.id, 'resume'))"
          >Go on</el-button
        >
      </div>
    </div>
    <el-progress
      v-if="audit?.state === 'running' || audit?.state === 'stopped'"
      :percentage="Math.round(audit.progress * 100)"
      :stroke-width="8"
    />
    <form class="begin" @submit.prevent="begin">
      <el-select
        v-model="only"
        placeholder="everything"
        clearable
        filterable
        aria-label="what to audit"
        :value-on-clear="''"
      >
        <el-option v-for="n in names" :key="n" :value="n" :label="n" />
      </el-select>
      <el-button
        native-type="submit"
        type="primary"
        :plain="left > 0"
        :disabled="audit?.state === 'running'"
        data-act="audit"
        >Audit {{ only || 'everything' }}</el-button
      >
      <label class="quiet schedule"
        >by itself
        <el-select
          :model-value="every"
          aria-label="how often by itself"
          @change="(v: number) => act(() => api.scheduleAudit(v))"
        >
          <el-option :value="0" label="never" />
          <el-option :value="3600" label="every hour" />
          <el-option :value="21600" label="every 6 hours" />
          <el-option :value="86400" label="every day" />
          <el-option
            v-if="![0, 3600, 21600, 86400].includes(every)"
            :value="every"
            :label="`every ${duration(every * 1000)}`"
          />
        </el-select>
      </label>
    </form>
  </PanelBox>

  <PanelBox v-if="drift.length">
    <h2>What differs from the facts</h2>
    <DriftTable :drift="drift" />
    <p v-if="audit && audit.drifted > drift.length" class="quiet">
      The first {{ count(drift.length) }} of {{ count(audit.drifted) }}; `yalvo audit show {{ audit.id }} --json` has
      all.
    </p>
  </PanelBox>

  <PanelBox v-if="audits && audits.length">
    <h2>Audits so far</h2>
    <DataTable :columns="[['audit', 'number'], 'started', 'of', 'state', ['checked', 'number'], ['drifted', 'number']]">
      <tr v-for="a in audits" :key="a.id">
        <td class="number">
          <a href="#" @click.prevent="choose(a.id)">{{ a.id }}</a>
        </td>
        <td class="quiet when">{{ moment(a.started) }}</td>
        <td>{{ scope(a) }}</td>
        <td>{{ a.state }}</td>
        <td class="number">{{ count(a.checked) }}</td>
        <td class="number" :class="{ warn: a.drifted > 0 }">{{ count(a.drifted) }}</td>
      </tr>
    </DataTable>
  </PanelBox>
</template>

<style scoped>
.answer {
  border-left: 4px solid var(--accent);
}
.answer.bad {
  border-left-color: var(--warn);
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
  margin: 2px 0 0;
}
.acts {
  display: flex;
  gap: 8px;
}
.begin {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin-top: 16px;
}
.begin .el-select {
  width: 240px;
}
.schedule {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 8px;
}
.schedule .el-select {
  width: 150px;
}
.panel + .panel {
  margin-top: var(--gap);
}
.panel {
  overflow-x: auto;
}
.when {
  white-space: nowrap;
}
.warn {
  color: var(--warn);
  font-weight: 600;
}
@media (max-width: 640px) {
  .schedule {
    margin-left: 0;
  }
  .head {
    flex-wrap: wrap;
  }
}
</style>
