<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf, type DesignGraph } from '../api/client'
import AccountPicker from '../components/AccountPicker.vue'
import ScreenFrame from '../components/ScreenFrame.vue'
import StateLine from '../components/kit/StateLine.vue'
import { useOutline } from '../composables/outline'

const { outline } = useOutline()
const route = useRoute()
const router = useRouter()
const graph = shallowRef<DesignGraph>()
const first = ref<Record<string, string>>({}) // by screen: what it is asked for at first
const trouble = ref('')
const acts = ref(0)

/** Whose phones: one account, or two beside one another. */
const accounts = computed(() => [route.query.as, route.query.beside].flatMap((a) => (a ? [String(a)] : [])))
const choose = (as: string, beside = accounts.value[1]) => router.replace({ query: { as, ...(beside && { beside }) } })

watch(
  outline,
  async (o) => {
    if (!o?.accounts) return
    try {
      const ids = (await api.list(o.accounts, { limit: 2 })).documents.map((d) => d.id)
      if (!accounts.value.length && ids[0]) await choose(ids[0])
      for (const s of o.screens.filter((x) => x.of)) {
        const found = (await api.list(s.of!, { limit: 1 })).documents[0]
        const is = found && (s.by ? String(found.facts[s.by] ?? '') : found.path.split('/').slice(1).join('/'))
        first.value = { ...first.value, [s.name]: is ?? '' }
      }
      graph.value = await api.graph()
    } catch (error) {
      trouble.value = wordsOf(error)
    }
  },
  { immediate: true },
)
const costs = (screen: string) => graph.value?.things.find((t) => t.id === `screens.${screen}`)?.costs
</script>

<template>
  <div v-if="outline" class="page">
    <div class="top">
      <h1>{{ outline.app }}, as it stands on a phone</h1>
      <div class="who">
        <AccountPicker :account="accounts[0] ?? ''" :collection="outline.accounts" @choose="choose($event)" />
        <AccountPicker
          v-if="accounts[1]"
          :account="accounts[1]"
          :collection="outline.accounts"
          @choose="choose(accounts[0]!, $event)"
        />
        <el-button v-if="accounts[1]" data-act="alone" @click="choose(accounts[0]!, '')">One alone</el-button>
        <el-button v-else-if="accounts[0]" data-act="beside" @click="choose(accounts[0], accounts[0])"
          >Another beside</el-button
        >
      </div>
    </div>
    <StateLine v-if="trouble" :trouble="trouble" />
    <StateLine v-else-if="!outline.screens.length"
      >The design has no screens yet. Say under `screens` what the app shows after each tap.</StateLine
    >
    <StateLine v-else-if="!accounts.length">There are no accounts yet: add one under Documents.</StateLine>
    <div v-else class="frames">
      <template v-for="s in outline.screens" :key="s.name">
        <ScreenFrame
          v-for="(a, i) in accounts"
          :key="i"
          :screen="s"
          :account="a"
          :first="first[s.name] ?? ''"
          :outline="outline"
          :costs="costs(s.name)"
          :acts="acts"
          @acted="acts++"
        />
      </template>
    </div>
  </div>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 8px 24px;
  margin-bottom: 12px;
}
.who {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.who :deep(.picker) {
  width: 260px;
}
.frames {
  display: flex;
  flex-wrap: wrap;
  gap: 18px 34px;
}
</style>
