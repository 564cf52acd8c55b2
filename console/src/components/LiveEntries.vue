<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import { computed, toRef, watch } from 'vue'
import type { Outline, Values } from '../api/client'
import { useLiveTimeline } from '../composables/live'
import { idOf, useMarks, type OutlinePair } from '../composables/marks'
import { headField } from '../composables/place'
import EntryCard from './EntryCard.vue'
import GoneList from './GoneList.vue'

/** The entries of a timeline as they come and go. */
const props = defineProps<{
  account: string
  owners: string[] // of whose timelines an entry can be asked about
  timeline: Outline['timelines'][number]
  outline: Outline
  pairs: OutlinePair[] // what the account can do to an entry
  acts: number
  busy: boolean
  missing: boolean // the account: its card says so
}>()
const emit = defineEmits<{
  changed: []
  edit: [path: string, text: string]
  remove: [path: string]
  add: [path: string, collection: string, text: string]
  set: [pair: OutlinePair, id: string, facts?: Values]
  unset: [pair: OutlinePair, id: string]
}>()

const shown = 30
const { entries, loaded, broken, fresh, gone, ahead } = useLiveTimeline(
  computed(() => props.timeline.name),
  toRef(props, 'account'),
  shown,
)
watch(entries, () => emit('changed'))

const named = (name: string) => props.outline.collections.find((c) => c.name === name)
const bodyField = computed(() => {
  const of = named(props.timeline.entries)
  return (of && headField(of)) ?? ''
})
const nested = computed(() =>
  props.outline.collections.filter((c) => c.under === props.timeline.entries && headField(c)),
)
const linkOf = (p: OutlinePair) =>
  named(props.timeline.owner)?.links.find((l) => l.kind === 'pair' && l.of === p.name && l.to === p.to)?.name ?? ''
const marks = useMarks(
  () => props.timeline.name,
  toRef(props, 'account'),
  () => props.pairs.map((pair) => ({ pair, link: linkOf(pair) })).filter((p) => p.link !== ''),
  shown,
  entries,
  ahead,
  () => props.acts,
)
</script>

<template>
  <GoneList
    v-if="gone.length"
    :key="account"
    :gone="gone"
    :timeline="timeline.name"
    :account="account"
    :body-field="bodyField"
  />
  <p v-if="broken" class="quiet">The stream broke off; it is being taken up again…</p>
  <StateLine v-if="!loaded && !missing" loading />
  <StateLine v-else-if="loaded && entries.length === 0">
    Nothing is in this timeline yet: follow somebody, or post.
  </StateLine>
  <TransitionGroup tag="ol" name="entry">
    <li v-for="e in entries" :key="e.path" :class="{ fresh: fresh.has(e.path) }">
      <EntryCard
        :entry="e"
        :account="account"
        :body-field="bodyField"
        :busy="busy"
        :timeline="timeline.name"
        :acts="acts"
        :pairs="pairs"
        :marks="marks.get(e.path)"
        :nested="nested"
        :owners="owners"
        @edit="emit('edit', e.path, $event)"
        @remove="emit('remove', e.path)"
        @set="(pair, facts) => emit('set', pair, idOf(e.path), facts)"
        @unset="emit('unset', $event, idOf(e.path))"
        @add="(collection, text) => emit('add', e.path, collection, text)"
      />
    </li>
  </TransitionGroup>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  overflow: hidden;
}
ol:empty {
  display: none;
}
li + li {
  border-top: 1px solid var(--line);
}
.empty {
  padding: 12px 0;
}
@media (prefers-reduced-motion: no-preference) {
  .entry-move {
    transition: transform 0.25s ease;
  }
  .entry-enter-from,
  .entry-leave-to {
    opacity: 0;
  }
}
</style>
