<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { computed, ref, shallowRef, watch } from 'vue'
import {
  api,
  wordsOf,
  type DesignCosts,
  type Document,
  type Entry,
  type Outline,
  type OutlineScreen,
  type ScreenAnswer,
} from '../api/client'
import { useLatest } from '../composables/latest'
import { idOf, type OutlinePair } from '../composables/marks'
import ShownCard from './ShownCard.vue'
import StateLine from './kit/StateLine.vue'

/** A screen of the design as it stands on the phone of an account. */
const props = defineProps<{
  screen: OutlineScreen
  account: string
  first: string // the document that it is asked for unless another is typed
  outline: Outline
  costs?: DesignCosts
  acts: number // how often somebody has acted on the page: the screen is looked at again each time
}>()
const emit = defineEmits<{ acted: [] }>()

const of = ref('')
const looks = ref<Record<string, string>>({})
const asked = computed(() => [...props.screen.looks, ...props.screen.params.map((p) => p.name)])
const answer = shallowRef<ScreenAnswer>()
const trouble = ref('')
const busy = ref(false)
const latest = useLatest()

watch(
  () => props.first,
  (first) => (of.value ||= first),
  { immediate: true },
)

const missing = computed(() => {
  if (props.screen.of && !of.value) return `Say which of ${props.screen.of}.`
  const name = props.screen.looks.find((n) => !looks.value[n])
  return name ? 'Type what is looked for.' : ''
})

function look() {
  if (missing.value) {
    answer.value = undefined
    return
  }
  void latest(
    () => api.screen(props.screen.name, of.value, looks.value, props.account),
    (a) => {
      answer.value = a
      trouble.value = ''
    },
    (error) => {
      answer.value = undefined
      trouble.value = wordsOf(error)
    },
  )
}
watch([() => props.account, () => props.acts, of, looks], look, { immediate: true, deep: true })

const parts = computed(() =>
  props.screen.parts.map((p) => {
    const got = answer.value?.parts[p.name]
    const all: (Document | Entry)[] = got?.entries ?? got?.documents ?? (got?.path ? [got as Document] : [])
    return { ...p, all, collection: props.outline.collections.find((c) => c.name === p.shows) }
  }),
)

async function act(write: () => Promise<{ position: string }>) {
  busy.value = true
  try {
    const { position } = await write()
    await api.settled(position)
    emit('acted')
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  } finally {
    busy.value = false
  }
}
const set = (pair: OutlinePair, path: string, facts?: Record<string, unknown>) =>
  act(() => api.setPair(pair.name, props.account, idOf(path), facts))
const unset = (pair: OutlinePair, path: string) => act(() => api.unsetPair(pair.name, props.account, idOf(path)))

const cost = computed(() => {
  const c = props.costs
  if (!c || !c.per_day) return ''
  return `${Math.round(c.documents)} documents, ${((c.seconds / c.per_day) * 1000).toFixed(1)} ms a look`
})
</script>

<template>
  <section class="frame" :data-screen="screen.name" :data-as="account">
    <header>
      <h2>{{ screen.name.replaceAll('_', ' ') }}</h2>
      <input
        v-if="screen.of"
        v-model.lazy="of"
        :aria-label="`which of ${screen.of}`"
        :placeholder="screen.by ?? screen.of"
        spellcheck="false"
      />
      <input
        v-for="name in asked"
        :key="name"
        v-model="looks[name]"
        :aria-label="name"
        :placeholder="name"
        spellcheck="false"
      />
    </header>
    <div class="glass" tabindex="0" :aria-label="`${screen.name} as ${account}`">
      <StateLine v-if="trouble" :trouble="trouble" />
      <StateLine v-else-if="missing">{{ missing }}</StateLine>
      <StateLine v-else-if="!answer" loading />
      <template v-for="p in parts" v-else :key="p.name">
        <h3 v-if="parts.length > 1" class="quiet">{{ p.name.replaceAll('_', ' ') }}</h3>
        <ShownCard
          v-for="d in p.all"
          :key="d.path"
          :shown="d"
          :collection="p.collection"
          :outline="outline"
          :account="account"
          :busy="busy"
          @set="(pair, facts) => set(pair, d.path, facts)"
          @unset="unset($event, d.path)"
        />
        <StateLine v-if="!p.all.length">No {{ p.shows.replaceAll('_', ' ') }} here for {{ account }}.</StateLine>
      </template>
    </div>
    <p class="quiet cost">{{ cost || '\u00a0' }}</p>
  </section>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-rows: auto 430px auto;
  width: 270px;
}
header {
  display: flex;
  align-items: center;
  gap: 6px;
  height: 30px;
}
h2 {
  flex: 1;
  margin: 0;
  white-space: nowrap;
}
h3 {
  margin: 0;
  padding: 8px 10px 4px;
  font-size: 12px;
  font-weight: 500;
}
input {
  width: 110px;
  min-width: 0;
  padding: 2px 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--surface);
  color: var(--text);
  font: inherit;
  font-size: 12px;
}
.glass {
  display: flow-root;
  overflow-y: auto;
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: 14px;
}
.glass > :deep(p) {
  padding: 0 12px;
}
.glass > article:first-child {
  border-top: 0;
}
.cost {
  margin: 4px 2px 0;
  white-space: nowrap;
  font-size: 12px;
}
</style>
