<script setup lang="ts">
import { computed } from 'vue'
import type { DesignCosts } from '../api/client'
import { bytes, count } from '../format'
import type { Chosen, Reach } from '../picture/reach'

/** What is chosen in the picture: what it means, what it costs, what feeds it and what it feeds. */
const props = defineProps<{ chosen: Chosen; reach: Reach }>()
const emit = defineEmits<{ choose: [id: string] }>()

const name = computed(() =>
  props.chosen.member ? `${props.chosen.thing.name}.${props.chosen.member.name}` : props.chosen.thing.name,
)
const kind = computed(() => {
  const m = props.chosen.member
  if (!m) return props.chosen.thing.accounts ? 'accounts' : props.chosen.thing.kind
  return m.kept ? `kept: ${m.type}` : `fact: ${m.type}`
})
const says = computed(() => (props.chosen.member ? [props.chosen.member.says] : props.chosen.thing.says))
const rules = computed(() => props.chosen.member?.rules ?? 0)

const rounded = (n: number) => count(n >= 10 ? Math.round(n) : Number(n.toPrecision(2)))
const time = (s: number) => (s >= 1 ? `${rounded(s)} s` : `${rounded(s * 1000)} ms`)
const costs = computed(() => {
  const c: DesignCosts | undefined = props.chosen.member ? props.chosen.member.costs : props.chosen.thing.costs
  if (!c) return []
  if (props.chosen.thing.kind === 'screen')
    return [
      [rounded(c.per_day), 'times opened a day'],
      [rounded(c.documents), 'documents a look'],
      [time(c.seconds), 'of a processor a day'],
    ]
  const stored = [
    [rounded(c.copies), props.chosen.member ? 'copies' : 'stored'],
    [bytes(c.bytes), 'in all'],
  ]
  if (!props.chosen.member?.kept && props.chosen.thing.kind !== 'timeline') return stored
  return [...stored, [rounded(c.per_day), 'rewritten a day'], [time(c.seconds), 'of a processor a day']]
})

/** An id as it is said: without the sections of the file, but for what may be called like something else. */
function said(id: string): string {
  const [section, thing, , member] = id.split('.')
  if (member) return `${thing}.${member}`
  return section === 'collections' ? thing! : `${thing} (${section!.slice(0, -1)})`
}
const ends = computed(() => [
  { title: 'Fed by', ids: props.reach.direct.sources, all: props.reach.sources.size },
  { title: 'Feeds', ids: props.reach.direct.fed, all: props.reach.fed.size },
])
</script>

<template>
  <section class="chosen" aria-live="polite" data-part="chosen">
    <div class="means">
      <h2>
        {{ name }} <small class="quiet">{{ kind }}, line {{ (chosen.member ?? chosen.thing).line }}</small>
      </h2>
      <p v-for="s in says" :key="s">{{ s }}</p>
      <p v-if="rules" class="quiet">
        {{ rules === 1 ? 'A rule of access reads' : `${rules} rules of access read` }} it.
      </p>
    </div>
    <dl v-if="costs.length" class="costs">
      <div v-for="[n, what] in costs" :key="what">
        <dt class="number">{{ n }}</dt>
        <dd class="quiet">{{ what }}</dd>
      </div>
    </dl>
    <div v-for="e in ends" :key="e.title" class="end">
      <h3 class="quiet">
        {{ e.title }}<template v-if="e.all > e.ids.length">, {{ e.all }} all the way</template>
      </h3>
      <p v-if="!e.ids.length" class="quiet">nothing</p>
      <button v-for="id in e.ids" :key="id" type="button" :data-to="id" :title="id" @click="emit('choose', id)">
        {{ said(id) }}
      </button>
    </div>
  </section>
</template>

<style scoped>
.chosen {
  display: grid;
  grid-template-columns: minmax(240px, 2fr) auto minmax(140px, 1fr) minmax(140px, 1fr);
  gap: 24px;
  height: 100%;
  overflow-y: auto;
}
h2 {
  margin-bottom: 4px;
}
h2 small {
  font-weight: 400;
  font-size: 12px;
}
h3 {
  margin: 0 0 4px;
  font-size: 12px;
  font-weight: 500;
}
p {
  margin: 0 0 2px;
  font-size: 13px;
}
dl {
  margin: 0;
  display: grid;
  align-content: start;
}
dl div {
  display: grid;
  grid-template-columns: minmax(60px, auto) auto;
  gap: 8px;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
  font-size: 13px;
}
.end button {
  display: inline-block;
  margin: 0 4px 4px 0;
  padding: 1px 8px;
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--surface);
  color: var(--accent);
  font: inherit;
  font-size: 12px;
  cursor: pointer;
}
@media (max-width: 900px) {
  .chosen {
    grid-template-columns: 1fr;
    gap: 10px;
  }
}
</style>
