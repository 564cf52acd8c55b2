<script setup lang="ts">
import DataTable from './kit/DataTable.vue'
import { computed } from 'vue'
import type { Drift } from '../api/client'
import { inline, moment } from '../format'
import PathLink from './PathLink.vue'

const props = defineProps<{ drift: Drift[] }>()
const mended = computed(() => props.drift.some((d) => d.mended))
</script>

<template>
  <DataTable
    ><template #head>
      <th>duplicate</th>
      <th>is</th>
      <th>at</th>
      <th>stored</th>
      <th>should be</th>
      <th>since</th>
      <th v-if="mended">mended</th>
    </template>
    <tr v-for="d in drift" :key="d.seq" :data-drift="d.duplicate">
      <td>
        {{ d.duplicate
        }}<span v-if="d.aspect !== 'count' && d.aspect !== 'timeline'" class="quiet aspect">{{ d.aspect }}</span>
      </td>
      <td class="warn">{{ d.kind }}</td>
      <td>
        <PathLink v-if="d.document" :path="d.document" /><span v-else class="quiet">a document that is gone</span>
        <template v-if="d.other"><span class="quiet"> · </span><PathLink :path="d.other" /></template>
      </td>
      <td class="value">{{ inline(d.stored) }}</td>
      <td class="value">
        <span class="kept">{{ inline(d.expected) }}</span>
      </td>
      <td class="quiet when">{{ d.since ? moment(d.since) : '' }}</td>
      <td v-if="mended" class="when">{{ d.mended ? moment(d.mended) : '' }}</td>
    </tr>
  </DataTable>
</template>

<style scoped>
.aspect {
  margin-left: 6px;
}
.kept {
  display: inline-block;
}
.warn {
  color: var(--warn);
}
.when {
  white-space: nowrap;
}
.value {
  max-width: 240px;
  overflow-wrap: anywhere;
}
</style>
