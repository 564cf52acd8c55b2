<script setup lang="ts">
import StateLine from '../components/kit/StateLine.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { computed, shallowRef } from 'vue'
import { api, type Change, type Sample } from '../api/client'
import AmountList from '../components/AmountList.vue'
import ChangeList from '../components/ChangeList.vue'
import HourChart from '../components/HourChart.vue'
import { usePoll } from '../composables/latest'
import { useStatus } from '../composables/status'
import { count, duration, pieces } from '../format'

const { status, error } = useStatus()
const changes = shallowRef<Change[]>([])
const samples = shallowRef<Sample[]>([])

usePoll(
  async () => {
    try {
      changes.value = (await api.changes(15)).changes
    } catch {
      // the status says that the service does not answer
    }
  },
  () => 1500,
)
usePoll(
  async () => {
    try {
      samples.value = (await api.history()).samples
    } catch {
      // the same
    }
  },
  () => 10_000,
)

const headline = computed(() => {
  const s = status.value
  if (error.value) return error.value
  if (!s) return 'Looking…'
  if (s.settled) return 'Everything is settled'
  if (s.parked > 0) return `${pieces(s.parked)} parked`
  return `${pieces(s.due)} due`
})
const explanation = computed(() => {
  const s = status.value
  if (!s) return ''
  if (s.settled) return 'No work is due: what was written has reached every kept value and every timeline.'
  if (s.parked > 0)
    return 'It cannot be done as things are, or failed too often: the page Parked says why, and tries it again.'
  return `The oldest is ${duration(s.lag_ms)} behind.`
})
</script>

<template>
  <PanelBox class="answer" :class="{ busy: !status?.settled }" aria-live="polite">
    <h1>{{ headline }}</h1>
    <p class="quiet">{{ explanation }}</p>
    <dl v-if="status">
      <div v-for="lane in status.lanes" :key="lane.lane">
        <dt>{{ lane.lane }}</dt>
        <dd :class="{ quiet: lane.due === 0 }">
          {{ count(lane.due) }} due<template v-if="lane.due"> · {{ duration(lane.lag_ms) }}</template>
        </dd>
      </div>
    </dl>
    <HourChart v-if="samples.length > 1" :samples="samples" />
  </PanelBox>

  <div v-if="status" class="amounts">
    <AmountList title="Documents" :amounts="status.documents" link />
    <AmountList title="Pairs" :amounts="status.pairs" />
    <AmountList title="Timeline entries" :amounts="status.entries" kept />
  </div>

  <PanelBox>
    <h2>Recent changes</h2>
    <StateLine v-if="changes.length === 0">Nothing has been written yet.</StateLine>
    <ChangeList v-else :changes="changes" />
  </PanelBox>
</template>

<style scoped>
.answer {
  border-left: 4px solid var(--accent);
}
.answer.busy {
  border-left-style: dashed;
}
.answer p {
  margin: 2px 0 0;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 36px;
  margin: 16px 0 0;
}
dt {
  color: var(--quiet);
  font-size: 13px;
}
dd {
  margin: 0;
  font-variant-numeric: tabular-nums;
}
.amounts {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: var(--gap);
  margin: var(--gap) 0;
}
.panel {
  overflow-x: auto;
}
@media (max-width: 800px) {
  .amounts {
    grid-template-columns: 1fr;
  }
}
</style>
