<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf, type Answer, type Outline, type Values } from '../api/client'
import type { OutlinePair } from '../composables/marks'
import { headField } from '../composables/place'
import { duration } from '../format'
import AccountPicker from './AccountPicker.vue'
import LinkedList from './LinkedList.vue'
import LiveEntries from './LiveEntries.vue'
import PersonCard from './PersonCard.vue'

/** What somebody sees and does: who they are, and a timeline, or what a name of theirs leads to. */
const props = defineProps<{
  side: string
  account: string
  other: string
  timeline: Outline['timelines'][number]
  outline: Outline
  acts: number // how often either of the two has acted: each time both are looked at again
}>()
const emit = defineEmits<{ choose: [account: string]; acted: [words: string] }>()

const busy = ref(false)
const missing = ref(false)
const changes = ref(0) // of the timeline: the counts of its owner may be others then

const named = (name: string) => props.outline.collections.find((c) => c.name === name)
const owners = computed(() => named(props.timeline.owner))
const bodyField = computed(() => {
  const of = named(props.timeline.entries)
  return (of && headField(of)) ?? ''
})

/** What the account can do to others of a collection. */
const pairsTo = (to: string) => props.outline.pairs.filter((p) => p.from === props.timeline.owner && p.to === to)
const toOther = computed(() => pairsTo(props.timeline.owner))
const toEntries = computed(() => pairsTo(props.timeline.entries))

/** What the column shows: the timeline, or what a name of the account leads to. */
const view = ref('')
const link = computed(() => owners.value?.links.find((l) => l.name === view.value))
const linked = computed(() => (link.value ? named(link.value.to) : undefined))

/** Does something as this account, and says when the last duplicate had followed. */
async function act(words: string, write: () => Promise<Answer<unknown>>) {
  busy.value = true
  const started = performance.now()
  try {
    const { position } = await write()
    const written = performance.now()
    await api.settled(position)
    const [took, settled] = [duration(written - started), duration(performance.now() - written)]
    emit('acted', `${props.account} ${words}: written in ${took}, every duplicate settled ${settled} later.`)
    return true
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
    return false
  } finally {
    busy.value = false
  }
}

const post = (text: string) =>
  act('posted', () => api.create(props.timeline.entries, { [bodyField.value]: text }, props.account))
const set = (pair: OutlinePair, to: string, facts?: Values) =>
  act(`set ${pair.name} ${to}`, () => api.setPair(pair.name, props.account, to, facts))
const unset = (pair: OutlinePair, to: string) =>
  act(`unset ${pair.name} ${to}`, () => api.unsetPair(pair.name, props.account, to))
const edit = (path: string, text: string) =>
  act('edited', () => api.patch(path, { [bodyField.value]: text }, props.account))
const remove = (path: string) => act('removed', () => api.remove(path, props.account))
const add = (path: string, collection: string, text: string) =>
  act(`added to ${collection}`, () =>
    api.create(`${path}/${collection}`, { [headField(named(collection)!)!]: text }, props.account),
  )
</script>

<template>
  <section class="column" :aria-label="`${side}: ${account}`" :data-side="side">
    <AccountPicker :account="account" :collection="timeline.owner" @choose="emit('choose', $event)" />
    <PersonCard
      v-if="owners"
      :account="account"
      :other="other"
      :owners="owners"
      :pairs="toOther"
      :looks="acts + changes"
      :busy="busy"
      :post="post"
      @missing="missing = $event"
      @set="(pair, facts) => set(pair, other, facts)"
      @unset="unset($event, other)"
    />
    <label class="view">
      <span class="quiet">shows</span>
      <select v-model="view" :aria-label="`what the column of ${account} shows`">
        <option value="">the timeline {{ timeline.name }}</option>
        <option v-for="l in owners?.links" :key="l.name" :value="l.name">{{ l.name.replaceAll('_', ' ') }}</option>
      </select>
    </label>
    <LinkedList
      v-if="link && linked"
      :path="`${timeline.owner}/${account}/${link.name}`"
      :collection="linked"
      :acts="acts"
    />
    <LiveEntries
      v-else
      :account="account"
      :owners="[account, other].filter((o, i, all) => o && all.indexOf(o) === i)"
      :timeline="timeline"
      :outline="outline"
      :pairs="toEntries"
      :acts="acts"
      :busy="busy"
      :missing="missing"
      @changed="changes++"
      @edit="edit"
      @remove="remove"
      @add="add"
      @set="set"
      @unset="unset"
    />
  </section>
</template>

<style scoped>
.column {
  min-width: 0;
}
.view {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0 0 10px;
  font-size: 13px;
}
select {
  font: inherit;
  color: var(--text);
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 3px 6px;
  max-width: 100%;
}
</style>
