<script setup lang="ts">
import { computed } from 'vue'
import type { Document, Entry, Outline, OutlineCollection, PairState, Values } from '../api/client'
import type { OutlinePair } from '../composables/marks'
import { headField } from '../composables/place'
import { ago, inline, isPicture } from '../format'
import PairButton from './PairButton.vue'
import PictureView from './PictureView.vue'

/** One document as a phone would show it: who it is of, what it says, its picture, its counts, its marks as buttons. */
const props = defineProps<{
  shown: Document | Entry
  collection?: OutlineCollection
  outline: Outline
  account: string
  busy: boolean
}>()
const emit = defineEmits<{ set: [pair: OutlinePair, facts?: Values]; unset: [pair: OutlinePair] }>()

const kept = computed(() => Object.entries(props.shown.kept ?? {}))
const card = computed(
  () => kept.value.find(([, v]) => v && typeof v === 'object' && !Array.isArray(v)) as [string, Values] | undefined,
)
const portrait = computed(
  () =>
    Object.values(card.value?.[1] ?? {}).find(isPicture) ??
    (card.value ? undefined : Object.values(props.shown.facts ?? {}).find(isPicture)),
)
const byline = computed(() =>
  Object.values(card.value?.[1] ?? {})
    .filter((v) => typeof v === 'string' && !isPicture(v))
    .map(inline)
    .join(' · '),
)
const counts = computed(() => kept.value.filter(([, v]) => typeof v === 'number'))
const said = computed(() => {
  const field = props.collection && headField(props.collection)
  return field ? props.shown.facts?.[field] : undefined
})
const photo = computed(() => (card.value ? Object.values(props.shown.facts ?? {}).find(isPicture) : undefined))
const when = computed(() => ('at' in props.shown ? props.shown.at : props.shown.created))

const links = computed(() => props.outline.collections.find((c) => c.name === props.outline.accounts)?.links ?? [])
/** The pairs that the screen marks, as the account calls them. */
const marks = computed(() =>
  Object.entries(props.shown.marks ?? {}).flatMap(([name, mark]) => {
    const link = links.value.find((l) => l.kind === 'pair' && l.name === name)
    const pair = props.outline.pairs.find((p) => p.name === link?.of)
    if (!pair || (!pair.self && props.shown.path === `${pair.from}/${props.account}`)) return []
    const state = { pair: pair.name, from: props.account, to: props.shown.path, set: mark !== null, ...(mark ?? {}) }
    return [{ pair, state: state as PairState }]
  }),
)
</script>

<template>
  <article :data-path="shown.path">
    <header>
      <span class="byline" :class="{ kept: card }" :title="card ? `${card[0]}: kept from elsewhere` : undefined">
        <PictureView v-if="portrait" :picture="portrait" size="thumbnail" round class="portrait" />
        <span>{{ byline || shown.id }}</span>
      </span>
      <time v-if="when" class="quiet" :datetime="when">{{ ago(when) }}</time>
    </header>
    <p v-if="said !== undefined">{{ inline(said) }}</p>
    <PictureView v-if="photo" :picture="photo" size="thumbnail" class="photo" />
    <footer>
      <RouterLink
        v-for="[name, v] in counts"
        :key="name"
        class="kept"
        :to="`/documents/${shown.path}`"
        :title="`why ${name} is ${inline(v)}`"
        >{{ name.replaceAll('_', ' ') }} {{ inline(v) }}</RouterLink
      >
      <RouterLink v-if="!counts.length" class="quiet" :to="`/documents/${shown.path}`">{{ shown.id }}</RouterLink>
    </footer>
    <div v-if="marks.length" class="marks">
      <PairButton
        v-for="m in marks"
        :key="m.pair.name"
        :pair="m.pair"
        :state="m.state"
        :busy="busy"
        small
        @set="emit('set', m.pair, $event)"
        @unset="emit('unset', m.pair)"
      />
    </div>
  </article>
</template>

<style scoped>
article {
  padding: 8px 10px;
  border-top: 1px solid var(--line);
  font-size: 13px;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  font-size: 12px;
}
.byline {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.portrait {
  width: 20px;
  height: 20px;
}
time {
  flex: none;
  white-space: nowrap;
}
p {
  margin: 5px 0;
  overflow-wrap: anywhere;
}
.photo {
  width: 100%;
  height: 110px;
}
footer,
.marks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-top: 5px;
  font-size: 11.5px;
}
footer a {
  color: var(--text);
}
footer .quiet {
  color: var(--quiet);
}
</style>
