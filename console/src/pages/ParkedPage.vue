<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { onMounted, ref, shallowRef } from 'vue'
import { api, wordsOf, type Parked } from '../api/client'
import { count, moment, pieces } from '../format'

const parked = shallowRef<Parked[]>()
const trouble = ref('')
const busy = ref(false)

async function look() {
  try {
    parked.value = (await api.parked()).parked
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
onMounted(look)

async function retry() {
  busy.value = true
  try {
    const { retried } = await api.retryParked()
    ElMessage({ type: 'success', message: `Due again: ${count(retried)}. What fails again comes back here.` })
    await look()
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="parked">
    <div class="head">
      <div>
        <h1>{{ parked.length === 0 ? 'No work is parked' : `${pieces(parked.length)} parked` }}</h1>
        <p class="quiet">{{ parked.length === 0 ? 'Work that fails again and again would wait here, and hold up nothing else.' : 'It failed again and again and holds up nothing else. Mend the cause, then try it again.' }}</p>
      </div>
      <el-button v-if="parked.length" type="primary" :disabled="busy" data-act="retry" @click="retry">Try all again</el-button>
    </div>
    <section v-if="parked.length" class="panel">
      <table class="plain">
        <thead>
          <tr><th>parked</th><th>step</th><th>error</th><th class="number">attempts</th><th class="number">change</th></tr>
        </thead>
        <tbody>
          <tr v-for="(p, i) in parked" :key="i">
            <td class="quiet when">{{ moment(p.parked) }}</td>
            <td>{{ p.step }}</td>
            <td class="error">{{ p.error }}</td>
            <td class="number">{{ p.attempts }}</td>
            <td class="number"><RouterLink v-if="p.change" :to="`/changes/${p.change}`">{{ p.change }}</RouterLink></td>
          </tr>
        </tbody>
      </table>
    </section>
  </template>
</template>

<style scoped>
.head { display: flex; gap: var(--gap); align-items: flex-start; justify-content: space-between; margin-bottom: var(--gap); }
.head p { margin: 2px 0 0; }
.panel { overflow-x: auto; }
.when { white-space: nowrap; }
.error { overflow-wrap: anywhere; }
</style>
