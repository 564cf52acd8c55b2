<script setup lang="ts">
import DataTable from './kit/DataTable.vue'
import type { DesignVersion } from '../api/client'
import { count } from '../format'

defineProps<{ version: DesignVersion }>()

type Step = DesignVersion['steps'][number]
const says: Record<string, string> = {
  documents: 'bring to the new form',
  pairs: 'bring to the new form',
  build: 'derive anew',
  strip: 'take out what is gone',
  modes: 'look whom many follow',
  ends: 'end what dangles',
  unstore: 'drop stored entries',
  index: 'make the index',
  unindex: 'drop indexes of',
  sweep: 'drop what was given up',
}
const part = (s: Step) =>
  s.state === 'done' ? 100 : s.total > 0 ? Math.min(99, Math.round((100 * s.rows) / s.total)) : 0
</script>

<template>
  <DataTable
    :columns="['step', 'of', ['how far', 'bar'], ['gone over', 'number'], ['changed', 'number'], ['took', 'number']]"
  >
    <tr v-for="(s, i) in version.steps" :key="i">
      <td :class="{ quiet: s.state === 'waiting' }">{{ says[s.does] ?? s.does }}</td>
      <td class="mono">
        {{ s.name }} <span v-if="s.aspect" class="quiet">{{ s.aspect }}</span>
      </td>
      <td class="bar">
        <el-progress :percentage="part(s)" :stroke-width="6" :show-text="false" :aria-label="`${part(s)} %`" />
      </td>
      <td class="number">
        {{ count(s.rows)
        }}<span v-if="s.state === 'running'" class="quiet"> of {{ count(Math.max(s.total, s.rows)) }}</span>
      </td>
      <td class="number">{{ count(s.written) }}</td>
      <td class="number">{{ s.seconds.toFixed(1) }} s</td>
    </tr>
  </DataTable>
  <template v-for="(s, i) in version.steps" :key="i">
    <el-alert
      v-if="s.error"
      :title="`${s.name} does not get on and is tried again: ${s.error}`"
      type="warning"
      :closable="false"
    />
  </template>
</template>

<style scoped>
.bar {
  width: 160px;
}
td.bar {
  vertical-align: middle;
}
</style>
