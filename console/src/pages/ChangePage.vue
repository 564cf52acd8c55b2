<script setup lang="ts">
import PanelBox from '../components/kit/PanelBox.vue'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api } from '../api/client'
import CascadeWaterfall from '../components/CascadeWaterfall.vue'
import CascadeTree from '../components/CascadeTree.vue'
import ChangeList from '../components/ChangeList.vue'
import { useReport } from '../composables/report'
import { duration } from '../format'

const route = useRoute()
const position = computed(() => String(route.params.position))
const { report: cascade, trouble } = useReport(position, api.cascade, (c) => c.settled)

const headline = computed(() => {
  const c = cascade.value
  if (!c) return ''
  if (c.follows.length === 0) return 'Nothing followed from it'
  return c.settled
    ? `Everything that followed was settled after ${duration(c.took_ms)}`
    : 'What follows from it is not settled yet'
})
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="cascade">
    <p class="quiet crumb">Change {{ cascade.change.position }}</p>
    <h1 aria-live="polite">{{ headline }}</h1>
    <PanelBox>
      <ChangeList :changes="[cascade.change]" />
    </PanelBox>
    <PanelBox v-if="cascade.follows.length">
      <h2>When each step ran</h2>
      <CascadeWaterfall :steps="cascade.follows" :took-ms="cascade.took_ms" />
    </PanelBox>
    <PanelBox v-if="cascade.follows.length">
      <h2>What it caused</h2>
      <CascadeTree :steps="cascade.follows" />
    </PanelBox>
  </template>
</template>

<style scoped>
.crumb {
  margin: 0;
}
.panel {
  margin-top: var(--gap);
  overflow-x: auto;
}
</style>
