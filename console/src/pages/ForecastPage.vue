<script setup lang="ts">
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { api, wordsOf, type Break, type Forecast, type ForecastCost } from '../api/client'
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import StateLine from '../components/kit/StateLine.vue'
import { useLatest } from '../composables/latest'
import { useOutline } from '../composables/outline'
import { bytes, count } from '../format'

const { outline } = useOutline()
const base = shallowRef<Forecast>() // as the design's workload has it
const now = shallowRef<{ forecast: Forecast; costs: ForecastCost[]; breaks: Break[] }>()
const trouble = ref('')
const latest = useLatest()

/** How many times what the workload says; powers of ten, so that a slider reaches far. */
const times = reactive({ accounts: 0, opens: 0, posts: 0 })
const factor = (power: number) => 10 ** power

const rounded = (n: number) => count(n >= 10 ? Math.round(n) : Number(n.toPrecision(2)))
const seconds = (s: number) => (s >= 1 ? `${rounded(s)} s` : `${rounded(s * 1000)} ms`)

/** What is posted into the first timeline: the slider of posts is about that. */
const posted = computed(() => outline.value?.timelines[0]?.entries ?? '')
const perDay = (name: string) => base.value?.actions.find((a) => a.name === name)?.per_day ?? 0
const each = (n: number) => n / (base.value?.accounts || 1) // per account and day
const opens = computed(() => each(base.value?.screens.reduce((sum, s) => sum + s.per_day, 0) ?? 0))
const posts = computed(() => each(perDay(`create ${posted.value}`)))

const sliders = computed(() => {
  if (!base.value) return []
  const all = [
    { key: 'accounts' as const, what: 'accounts', is: base.value.accounts, from: -1, to: 3 },
    { key: 'opens' as const, what: 'screens opened by each, a day', is: opens.value, from: -1, to: 1 },
  ]
  return posts.value
    ? [...all, { key: 'posts' as const, what: `${posted.value} by each, a day`, is: posts.value, from: -1, to: 1 }]
    : all
})

function settings(): string[] {
  const f = base.value
  if (!f) return []
  const all = times.opens
    ? f.screens
        .filter((s) => s.per_day)
        .map((s) => `workload.opened.${s.name}=${each(s.per_day) * factor(times.opens)}`)
    : []
  if (times.posts) all.push(`workload.done.${posted.value}.create=${posts.value * factor(times.posts)}`)
  return all
}

function look() {
  void latest(
    () => api.forecast(factor(times.accounts), settings()),
    (answer) => {
      now.value = answer
      base.value ??= answer.forecast
      trouble.value = ''
    },
    (error) => (trouble.value = wordsOf(error)),
  )
}
watch(times, look, { immediate: true })

const changed = computed(() => times.accounts !== 0 || times.opens !== 0 || times.posts !== 0)
const reset = () => Object.assign(times, { accounts: 0, opens: 0, posts: 0 })

const stored = computed(() => {
  const all = now.value?.forecast.stored ?? []
  const sum = (some: typeof all) => some.reduce((n, s) => n + s.bytes, 0)
  return { all: sum(all), kept: sum(all.filter((s) => s.kind === 'duplicate')) }
})
const figures = computed(() => {
  const f = now.value?.forecast
  if (!f) return []
  const up = f.day.upkeep
  return [
    ['accounts', rounded(f.accounts), `${rounded(f.day.requests)} requests a day`],
    ['of a processor, a day', seconds(f.day.processor_seconds), `${rounded(f.peak.cores)} cores in the busiest hour`],
    [
      'rows written, a day',
      rounded(f.day.direct.documents + f.day.direct.pairs),
      `and ${rounded(up.entries + up.kept)} that follow`,
    ],
    [
      'stored',
      bytes(stored.value.all),
      `${bytes(stored.value.kept)} of it duplicates; a day touches ${bytes(f.hot_bytes)}`,
    ],
    [
      'a month',
      f.day.money ? rounded(f.day.money) : 'no prices',
      f.day.money ? 'at the prices of the workload' : 'say some under `workload`',
    ],
  ]
})
const most = computed(() => Math.max(...(now.value?.costs.map((c) => c.seconds) ?? [1])))
const share = (c: ForecastCost) => `${Math.max(0.5, (c.seconds / most.value) * 100)}%`
const screen = (name: string) => now.value?.forecast.screens.find((s) => s.name === name)
const action = (name: string) => now.value?.forecast.actions.find((a) => a.name === name)
const of = (kind: string) => now.value?.costs.filter((c) => c.kind === kind) ?? []
const first = computed(() => now.value?.breaks.filter((b) => b.accounts > 0) ?? [])
</script>

<template>
  <div class="opening">
    <h1>What {{ outline?.app }} costs</h1>
    <p class="quiet">
      The design in force under the workload that it states, by rates of another machine. Move a slider to ask what if.
    </p>
  </div>
  <StateLine v-if="trouble" :trouble="trouble" />
  <StateLine v-else-if="!now" loading />
  <template v-else>
    <PanelBox class="asked">
      <label v-for="s in sliders" :key="s.key">
        <span
          ><b class="number">{{ rounded(s.is * factor(times[s.key])) }}</b> {{ s.what }}</span
        >
        <input v-model.number="times[s.key]" type="range" :min="s.from" :max="s.to" step="0.05" :data-set="s.key" />
      </label>
      <el-button :disabled="!changed" data-act="reset" @click="reset">As the design says</el-button>
    </PanelBox>
    <dl class="figures" data-part="figures">
      <div v-for="[what, n, more] in figures" :key="what" class="panel">
        <dt class="quiet">{{ what }}</dt>
        <dd>{{ n }}</dd>
        <dd class="quiet">{{ more }}</dd>
      </div>
    </dl>
    <div class="tables">
      <PanelBox data-part="screens">
        <h2>Screens</h2>
        <DataTable
          :columns="[
            '',
            ['looks a day', 'number'],
            ['documents', 'number'],
            ['sent', 'number'],
            'of a processor, a day',
          ]"
        >
          <tr v-for="c in of('screen')" :key="c.name">
            <td>{{ c.name }}</td>
            <td class="number">{{ rounded(c.per_day) }}</td>
            <td class="number">{{ rounded(screen(c.name)?.reads.mean.documents ?? 0) }}</td>
            <td class="number">{{ bytes(screen(c.name)?.sent ?? 0) }}</td>
            <td class="bar"><span :style="{ width: share(c) }" />{{ seconds(c.seconds) }}</td>
          </tr>
        </DataTable>
      </PanelBox>
      <PanelBox data-part="actions">
        <h2>Actions</h2>
        <DataTable
          :columns="[
            '',
            ['a day', 'number'],
            ['rows that follow', 'number'],
            ['last one in', 'number'],
            'of a processor, a day',
          ]"
        >
          <tr v-for="c in of('action')" :key="c.name">
            <td>{{ c.name }}</td>
            <td class="number">{{ rounded(c.per_day) }}</td>
            <td class="number">
              {{ rounded((action(c.name)?.upkeep.mean.entries ?? 0) + (action(c.name)?.upkeep.mean.kept ?? 0)) }}
            </td>
            <td class="number">{{ seconds(action(c.name)?.last_in.mean ?? 0) }}</td>
            <td class="bar"><span :style="{ width: share(c) }" />{{ seconds(c.seconds) }}</td>
          </tr>
        </DataTable>
      </PanelBox>
    </div>
    <PanelBox v-if="first.length" data-part="breaks">
      <h2>What gives way first, as the app grows</h2>
      <DataTable :columns="[['at accounts', 'number'], 'what', 'then']">
        <tr v-for="b in first" :key="b.what">
          <td class="number">{{ rounded(b.accounts) }}</td>
          <td>{{ b.what }}</td>
          <td>{{ b.then }}</td>
        </tr>
      </DataTable>
    </PanelBox>
    <PanelBox v-if="now.forecast.assumed.length" data-part="assumed">
      <h2>Taken for granted, as nobody has said</h2>
      <p v-for="a in now.forecast.assumed" :key="a" class="quiet">{{ a }}</p>
    </PanelBox>
  </template>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 12px 32px;
}
.asked label {
  flex: 1;
  min-width: 200px;
}
.asked input {
  display: block;
  width: 100%;
  accent-color: var(--accent);
}
.figures {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
  gap: var(--gap);
  margin: var(--gap) 0;
}
.figures dd {
  margin: 0;
  font-size: 13px;
}
.figures dd:nth-child(2) {
  font-size: 22px;
  font-weight: 600;
  font-variant-numeric: tabular-nums;
}
.tables {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--gap);
  align-items: start;
}
.tables > * {
  overflow-x: auto;
}
.tables + .panel,
.panel + .panel {
  margin-top: var(--gap);
}
.tables > .panel + .panel,
.figures > .panel + .panel {
  margin-top: 0;
}
.bar {
  position: relative;
  min-width: 110px;
  white-space: nowrap;
}
.bar span {
  position: absolute;
  left: 0;
  bottom: 2px;
  height: 3px;
  background: var(--accent);
  border-radius: 2px;
}
@media (max-width: 900px) {
  .tables {
    grid-template-columns: 1fr;
  }
}
</style>
