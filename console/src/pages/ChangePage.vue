<script setup lang="ts">
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, wordsOf, type Cascade } from '../api/client'
import CascadeTree from '../components/CascadeTree.vue'
import ChangeList from '../components/ChangeList.vue'
import { duration } from '../format'

const route = useRoute()
const position = computed(() => String(route.params.position))
const cascade = shallowRef<Cascade>()
const trouble = ref('')
let timer: number | undefined

async function look() {
  window.clearTimeout(timer)
  try {
    cascade.value = await api.cascade(position.value)
    trouble.value = ''
  } catch (error) {
    cascade.value = undefined
    trouble.value = wordsOf(error)
    return
  }
  if (!cascade.value.settled) timer = window.setTimeout(look, 700)
}
watch(position, look, { immediate: true })
onUnmounted(() => window.clearTimeout(timer))

const headline = computed(() => {
  const c = cascade.value
  if (!c) return ''
  if (c.follows.length === 0) return 'Nothing followed from it'
  return c.settled ? `Everything that followed was settled after ${duration(c.took_ms)}` : 'What follows from it is not settled yet'
})
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="cascade">
    <p class="quiet crumb">Change {{ cascade.change.position }}</p>
    <h1 aria-live="polite">{{ headline }}</h1>
    <section class="panel">
      <ChangeList :changes="[cascade.change]" />
    </section>
    <section v-if="cascade.follows.length" class="panel">
      <h2>What it caused</h2>
      <CascadeTree :steps="cascade.follows" />
    </section>
  </template>
</template>

<style scoped>
.crumb { margin: 0; }
.panel { margin-top: var(--gap); overflow-x: auto; }
</style>
