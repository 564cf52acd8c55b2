<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import { ref, shallowRef, watch } from 'vue'
import { api, wordsOf, type Why } from '../api/client'
import { useLatest } from '../composables/latest'
import { moment } from '../format'

// Why a document is in an owner's timeline, or why not: each fact with its time.
const props = defineProps<{ timeline: string; owner: string; path: string }>()

const why = shallowRef<Why>()
const trouble = ref('')

const latest = useLatest()
watch(
  () => [props.timeline, props.owner, props.path],
  () => {
    void latest(
      () => api.whyEntry(props.timeline, props.owner, props.path),
      (answer) => {
        why.value = answer
        trouble.value = ''
      },
      (error) => (trouble.value = wordsOf(error)),
    )
  },
  { immediate: true },
)
</script>

<template>
  <StateLine v-if="trouble" :trouble="trouble" />
  <section v-if="why" class="why" :data-why="owner">
    <h3>{{ why.there ? 'In' : 'Not in' }} {{ owner }}'s timeline: {{ why.because }}</h3>
    <ul>
      <li v-for="r in why.reasons" :key="r.code + r.says" :class="{ against: !r.holds }">
        <i aria-hidden="true">{{ r.holds ? '+' : '−' }}</i>
        <span
          ><span class="spoken">{{ r.holds ? 'for:' : 'against:' }}</span> {{ r.says }}</span
        >
        <span class="quiet when">
          <time v-if="r.since" :datetime="r.since">{{ moment(r.since) }}</time>
          <RouterLink v-if="r.change" :to="`/changes/${r.change}`">change {{ r.change }}</RouterLink>
        </span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.why {
  border-left: 2px solid var(--line);
  margin: 8px 0 4px;
  padding-left: 10px;
  font-size: 13px;
}
h3 {
  font-size: 13px;
  font-weight: 600;
  margin: 0 0 4px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 14px 1fr auto;
  gap: 6px;
  overflow-wrap: anywhere;
}
i {
  font-style: normal;
  color: var(--accent);
  font-weight: 700;
}
.against i {
  color: var(--warn);
}
.when {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  white-space: nowrap;
}
.spoken {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
