<script setup lang="ts">
import DataTable from './kit/DataTable.vue'
import type { Change } from '../api/client'
import { clock } from '../format'
import PathLink from './PathLink.vue'

defineProps<{ changes: Change[] }>()

const isPair = (c: Change) => c.kind === 'set' || c.kind === 'unset'
const ends = (c: Change) => (c.detail ?? '').split(' → ')
</script>

<template>
  <DataTable :columns="['at', 'what', 'where', 'as', ['position', 'number']]">
    <tr v-for="c in changes" :key="c.position">
      <td class="quiet when">{{ clock(c.at) }}</td>
      <td class="what">{{ isPair(c) ? `${c.kind} ${c.subject}` : c.kind }}</td>
      <td>
        <template v-if="isPair(c)">
          <template v-for="(end, i) in ends(c)" :key="end"
            ><span v-if="i > 0" class="quiet"> → </span><PathLink :path="end"
          /></template>
        </template>
        <template v-else>
          <span v-if="c.kind === 'removed'" class="mono">{{ c.subject }}</span>
          <PathLink v-else :path="c.subject" />
          <span v-if="c.detail" class="quiet more">{{ c.detail }}</span>
        </template>
        <span v-if="c.cause" class="quiet more"
          >because of <RouterLink :to="`/changes/${c.cause}`">{{ c.cause }}</RouterLink></span
        >
      </td>
      <td class="quiet">{{ c.as ?? '' }}</td>
      <td class="number">
        <RouterLink :to="`/changes/${c.position}`" :title="`what change ${c.position} caused`">{{
          c.position
        }}</RouterLink>
      </td>
    </tr>
  </DataTable>
</template>

<style scoped>
.more {
  margin-left: 0.6em;
}
.what {
  white-space: nowrap;
}
.when {
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
</style>
