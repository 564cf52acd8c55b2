<!-- A draft beside the design in force: in its own terms, what it does to what is stored, to costs, to findings, and as
text; then put in force, and watched until all is done. -->
<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import {
  api,
  Problem,
  wordsOf,
  type DesignVersion,
  type Difference,
  type Finding,
  type ForecastCost,
} from '../api/client'
import { renewOutline } from '../composables/outline'
import { duration } from '../format'
import DesignDifference from './DesignDifference.vue'
import DataTable from './kit/DataTable.vue'
import StateLine from './kit/StateLine.vue'
import TextDifference from './TextDifference.vue'
import VersionSteps from './VersionSteps.vue'

const props = defineProps<{ name: string; text: string; base: number }>()
const emit = defineEmits<{ applied: [version: number] }>()

const difference = shallowRef<Difference>()
const running = ref('')
const costs = shallowRef<{ before: ForecastCost[]; after: ForecastCost[] }>()
const found = shallowRef<{ before: Finding[]; after: Finding[] }>()
const trouble = ref('')
const lose = ref<string[]>([])
const busy = ref(false)
const version = shallowRef<DesignVersion>()

async function compare() {
  trouble.value = ''
  difference.value = undefined
  lose.value = []
  try {
    const d = await api.difference(`${props.name}.yaml`, props.text)
    running.value = d.base ? await api.source() : ''
    difference.value = d
    if (!d.base) return
    const [is, will] = await Promise.all([api.findings(running.value), api.findings(props.text)])
    found.value = { before: is.findings, after: will.findings }
    costs.value = await Promise.all([api.forecastOf(running.value), api.forecastOf(props.text)]).then(
      ([before, after]) => ({ before: before.costs, after: after.costs }),
      (error) => {
        if (error instanceof Problem && error.code === 'no-workload') return undefined // it is not known how much it is used
        throw error
      },
    )
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
onMounted(compare)

async function apply() {
  busy.value = true
  try {
    const got = await api.applyDesign(`${props.name}.yaml`, props.text, difference.value!.base, lose.value)
    await watchSteps(got.version)
    emit('applied', got.version)
    await renewOutline()
  } catch (error) {
    trouble.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
async function watchSteps(n: number) {
  for (;;) {
    const all = (await api.versions()).versions
    version.value = all.find((v) => v.version === n)
    if (!version.value || version.value.done) return
    await new Promise((go) => window.setTimeout(go, 300))
  }
}

const idOf = (f: Finding) => `${f.code} ${f.place}`
const come = computed(() => others(found.value?.after, found.value?.before))
const gone = computed(() => others(found.value?.before, found.value?.after))
function others(all: Finding[] = [], known: Finding[] = []) {
  const has = new Set(known.map(idOf))
  return all.filter((f) => !has.has(idOf(f)))
}

/** Screens and actions whose time changes by a hundredth or more, or that come and go. */
const shifts = computed(() => {
  const { before, after } = costs.value ?? {}
  if (!before || !after) return []
  const of = (all: ForecastCost[]) => new Map(all.map((c) => [`${c.kind} ${c.name}`, c.seconds] as const))
  const [was, is] = [of(before), of(after)]
  return [...new Set([...was.keys(), ...is.keys()])]
    .map((name) => ({ name, was: was.get(name), is: is.get(name) }))
    .filter((s) => s.was === undefined || s.is === undefined || Math.abs(s.is - s.was) > s.was / 100)
})
</script>

<template>
  <StateLine v-if="trouble" :trouble="trouble" />
  <template v-if="version">
    <h2 v-if="version.done" aria-live="polite">Version {{ version.version }} is in force, and all is done</h2>
    <template v-else>
      <h2 aria-live="polite">Version {{ version.version }} is in force; what it asks for is under way</h2>
      <VersionSteps :version="version" />
    </template>
    <p><RouterLink to="/design">Versions</RouterLink> has what it asked for, and the way back.</p>
  </template>
  <template v-else-if="difference">
    <p v-if="difference.base > base" class="warn" role="alert" data-part="meanwhile">
      Version {{ difference.base }} has been put in force since this draft was begun from version {{ base }}. What is
      told here is the difference from {{ difference.base }}: look whether it takes back what that brought.
    </p>
    <DesignDifference :difference="difference" />
    <template v-if="shifts.length">
      <h3>What a day costs</h3>
      <DataTable :columns="['of', ['before', 'number'], ['after', 'number']]">
        <tr v-for="s in shifts" :key="s.name">
          <td>{{ s.name }}</td>
          <td class="number">{{ s.was === undefined ? 'none' : duration(s.was * 1000) }}</td>
          <td class="number">{{ s.is === undefined ? 'none' : duration(s.is * 1000) }}</td>
        </tr>
      </DataTable>
    </template>
    <p v-else-if="costs" class="quiet">Screens and actions cost what they cost before.</p>
    <template v-if="come.length || gone.length">
      <h3>Findings</h3>
      <ul class="findings">
        <li v-for="f in come" :key="idOf(f)"><strong>new:</strong> {{ f.place }}: {{ f.reason }}</li>
        <li v-for="f in gone" :key="idOf(f)" class="quiet"><strong>gone:</strong> {{ f.place }}: {{ f.reason }}</li>
      </ul>
    </template>
    <template v-if="difference.base">
      <h3>As text</h3>
      <TextDifference :before="running" :after="text" />
    </template>
    <el-checkbox-group v-if="difference.drops.length" v-model="lose" class="lose">
      <el-checkbox v-for="d in difference.drops" :key="d" :value="d" :label="`lose what is stored of ${d}`" />
    </el-checkbox-group>
    <div class="acts">
      <el-button
        type="primary"
        :disabled="busy || lose.length < difference.drops.length"
        data-act="apply"
        @click="apply"
        >Put it in force</el-button
      >
      <el-button :disabled="busy" @click="compare">Compare again</el-button>
    </div>
  </template>
  <template v-else-if="!trouble"><StateLine loading /></template>
  <el-button v-if="trouble" data-act="again" @click="compare">Compare again</el-button>
</template>

<style scoped>
h3 {
  font-size: 14px;
  font-weight: 600;
  margin: 16px 0 4px;
}
.findings {
  margin: 0;
  padding-left: 18px;
}
.lose {
  display: flex;
  flex-direction: column;
  margin-top: 12px;
}
.acts {
  margin-top: 12px;
}
.warn {
  color: var(--warn);
}
</style>
