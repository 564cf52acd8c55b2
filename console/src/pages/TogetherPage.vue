<script setup lang="ts">
import StateLine from '../components/kit/StateLine.vue'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client'
import AccountColumn from '../components/AccountColumn.vue'
import { useOutline } from '../composables/outline'

const { outline } = useOutline()
const route = useRoute()
const router = useRouter()

const timeline = computed(() => outline.value?.timelines[0])
const left = computed(() => String(route.query.left ?? ''))
const right = computed(() => String(route.query.right ?? ''))
const lastAction = ref('')
const acts = ref(0)

/** Without a choice in the address, the two first accounts are shown. */
watch(
  timeline,
  async (t) => {
    if (!t || (left.value && right.value)) return
    const suggested = (await api.list(t.owner, { limit: 2 })).documents.map((d) => d.id)
    choose(left.value || (suggested[0] ?? ''), right.value || (suggested[1] ?? ''))
  },
  { immediate: true },
)

function acted(words: string) {
  lastAction.value = words
  acts.value++
}

function choose(l: string, r: string) {
  void router.replace({ query: { left: l, right: r } })
}
</script>

<template>
  <StateLine v-if="outline && !timeline">The design has no timeline to show.</StateLine>
  <template v-if="outline && timeline">
    <div class="opening">
      <h1>Two people, side by side</h1>
      <p class="quiet" role="status" aria-live="polite">
        {{ lastAction || 'Act as one of them and watch the other.' }}
      </p>
    </div>
    <div class="columns">
      <AccountColumn
        v-if="left"
        side="left"
        :account="left"
        :other="right"
        :timeline="timeline"
        :outline="outline"
        :acts="acts"
        @choose="choose($event, right)"
        @acted="acted"
      />
      <AccountColumn
        v-if="right"
        side="right"
        :account="right"
        :other="left"
        :timeline="timeline"
        :outline="outline"
        :acts="acts"
        @choose="choose(left, $event)"
        @acted="acted"
      />
      <StateLine v-if="!left || !right">There are not two accounts yet: add some under Documents.</StateLine>
    </div>
  </template>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
  align-items: start;
}
@media (max-width: 760px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
