<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import DataTable from './kit/DataTable.vue'
import PanelBox from './kit/PanelBox.vue'
import { count } from '../format'

defineProps<{ title: string; amounts: { name: string; many: number }[]; kept?: boolean; link?: boolean }>()
</script>

<template>
  <PanelBox>
    <h2>{{ title }}</h2>
    <StateLine v-if="amounts.length === 0">The design has none.</StateLine>
    <DataTable v-else>
      <tr v-for="a in amounts" :key="a.name">
        <td>
          <RouterLink v-if="link" :to="`/documents/${a.name}`">{{ a.name }}</RouterLink><template v-else>{{
            a.name
          }}</template>
        </td>
        <td class="number">
          <span :class="{ kept }">{{ count(a.many) }}</span>
        </td>
      </tr>
    </DataTable>
  </PanelBox>
</template>
