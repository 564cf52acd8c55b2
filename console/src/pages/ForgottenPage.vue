<script setup lang="ts">
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api } from '../api/client'
import { useReport } from '../composables/report'
import { count, duration, moment } from '../format'

const route = useRoute()
const id = computed(() => String(route.params.id))
const { report, trouble } = useReport(id, api.forgotten, (f) => f.finished)

const left = computed(() => report.value?.left ?? [])
const headline = computed(() => {
  const r = report.value
  if (!r) return ''
  if (!r.finished) return `Forgetting ${r.document}…`
  return left.value.length === 0
    ? `${r.document} is forgotten: nothing of it is left`
    : `Something of ${r.document} is left`
})

const searched = computed(() => {
  const r = report.value
  if (!r?.ended) return ''
  const took = new Date(r.ended).getTime() - new Date(r.started).getTime()
  return `Every table was searched; that was done after ${duration(took)}.`
})

/** What became of it, group by group. */
const groups = computed(() => {
  const r = report.value
  if (!r) return []
  return [
    { name: 'Removed', what: 'documents that went, by collection', rows: r.removed },
    {
      name: 'Was duplicated to',
      what: 'places that had a copy, a count or an entry of it',
      rows: r.places.map((p) => (p.kind === 'timeline' ? { ...p, where: `${p.where} timelines` } : p)),
      tall: true,
    },
    {
      name: 'Dropped',
      what: 'besides',
      rows: [
        { where: 'kept answers to requests', many: r.answers },
        { where: 'events of triggers', many: r.events },
      ],
    },
    {
      name: 'Stays',
      what: 'so that the journal has no holes',
      rows: [{ where: 'lines of the journal with its path, without values', many: r.journal }],
    },
  ].filter((g) => g.rows.length)
})
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="report">
    <PanelBox class="answer" :class="{ bad: left.length > 0, busy: !report.finished }">
      <h1 aria-live="polite">{{ headline }}</h1>
      <p class="quiet">
        Removed by <RouterLink :to="`/changes/${report.change}`">change {{ report.change }}</RouterLink
        >, {{ moment(report.started) }}. {{ searched }}
      </p>
      <DataTable v-if="left.length">
        <tr v-for="l in left" :key="l.where">
          <td>still in {{ l.where }}</td>
          <td class="number">{{ count(l.many) }}</td>
        </tr>
      </DataTable>
    </PanelBox>
    <div v-if="report.finished" class="groups">
      <PanelBox v-for="g in groups" :key="g.name" :class="{ tall: g.tall }">
        <h2>
          {{ g.name }} <span class="quiet">{{ g.what }}</span>
        </h2>
        <DataTable>
          <tr v-for="r in g.rows" :key="r.where">
            <td>{{ r.where }}</td>
            <td class="number">{{ count(r.many) }}</td>
          </tr>
        </DataTable>
      </PanelBox>
    </div>
  </template>
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
.answer p {
  margin: 2px 0 0;
}
.groups {
  display: grid;
  grid-template: auto auto 1fr / 1fr 1fr;
  gap: var(--gap);
  margin-top: var(--gap);
  align-items: start;
}
.tall {
  grid-column: 2;
  grid-row: 1 / span 3;
}
@media (max-width: 900px) {
  .groups {
    grid-template: none / 1fr;
  }
  .tall {
    grid-column: auto;
    grid-row: auto;
  }
}
h2 .quiet {
  font-weight: 400;
  margin-left: 6px;
}
</style>
