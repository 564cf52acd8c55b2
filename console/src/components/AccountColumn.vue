<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { computed, ref, shallowRef, toRef, watch } from 'vue'
import { api, wordsOf, type Answer, type Document, type Entry, type Outline, type PairState, type Values } from '../api/client'
import { useLatest } from '../composables/latest'
import { useLiveTimeline } from '../composables/live'
import { idOf, useMarks, type OutlinePair } from '../composables/marks'
import { headField } from '../composables/place'
import { duration, inline } from '../format'
import AccountPicker from './AccountPicker.vue'
import EntryCard from './EntryCard.vue'
import LinkedList from './LinkedList.vue'
import PairButton from './PairButton.vue'
import WhyPanel from './WhyPanel.vue'

const props = defineProps<{
  side: string
  account: string
  other: string
  timeline: Outline['timelines'][number]
  outline: Outline
  acts: number // how often either of the two has acted: each time both are looked at again
}>()
const emit = defineEmits<{ choose: [account: string]; acted: [words: string] }>()

const shown = 30
const { entries, loaded, broken, fresh, gone, ahead } = useLiveTimeline(computed(() => props.timeline.name), toRef(props, 'account'), shown)
const person = shallowRef<Document>()
const trouble = ref('')
const draft = ref('')
const busy = ref(false)
const asked = ref('') // the path of an entry that has gone, and that is asked about

const named = (name: string) => props.outline.collections.find((c) => c.name === name)
const owners = computed(() => named(props.timeline.owner))
const posts = computed(() => named(props.timeline.entries))
const bodyField = computed(() => (posts.value ? headField(posts.value) : undefined) ?? '')
const nested = computed(() => props.outline.collections.filter((c) => c.under === props.timeline.entries && headField(c)))
const title = computed(() => {
  const field = owners.value && headField(owners.value)
  return field && person.value ? inline(person.value.facts[field]) : props.account
})
const counts = computed(() =>
  (owners.value?.kept ?? []).filter((k) => k.kind === 'count').map((k) => [k.name, person.value?.kept[k.name]] as const),
)

/** What the account can do to the other one, and to an entry. */
const toOther = computed(() => props.outline.pairs.filter((p) => p.from === props.timeline.owner && p.to === props.timeline.owner))
const toEntries = computed(() => props.outline.pairs.filter((p) => p.from === props.timeline.owner && p.to === props.timeline.entries))
const linkOf = (p: OutlinePair) => owners.value?.links.find((l) => l.kind === 'pair' && l.of === p.name && l.to === p.to)?.name ?? ''
const states = shallowRef(new Map<string, PairState>())
const marks = useMarks(
  () => props.timeline.name, toRef(props, 'account'),
  () => toEntries.value.map((pair) => ({ pair, link: linkOf(pair) })).filter((p) => p.link !== ''), shown, entries, ahead, () => props.acts,
)

/** What the column shows: the timeline, or what a name of the account leads to. */
const view = ref('')
const link = computed(() => owners.value?.links.find((l) => l.name === view.value))
const linked = computed(() => (link.value ? named(link.value.to) : undefined))

const latest = useLatest()
function look() {
  void latest(
    async () => {
      const document = await api.document(`${props.timeline.owner}/${props.account}`)
      const found = new Map<string, PairState>()
      if (props.other !== '' && props.other !== props.account) {
        await Promise.all(toOther.value.map(async (p) => found.set(p.name, await api.pair(p.name, props.account, props.other))))
      }
      return { document, found }
    },
    ({ document, found }) => {
      person.value = document
      states.value = found
      trouble.value = ''
    },
    (error) => {
      person.value = undefined
      trouble.value = wordsOf(error)
    },
  )
}
watch(() => [props.account, props.other], () => (states.value = new Map()))
watch(() => props.account, () => (asked.value = ''))
watch(() => [props.account, props.other, props.acts], look, { immediate: true })
watch(entries, look)

/** Does something as this account, and says when the last duplicate had followed. */
async function act(words: string, write: () => Promise<Answer<unknown>>) {
  busy.value = true
  const started = performance.now()
  try {
    const { position } = await write()
    const written = performance.now()
    await api.settled(position)
    emit('acted', `${props.account} ${words}: written in ${duration(written - started)}, every duplicate settled ${duration(performance.now() - written)} later.`)
    return true
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
    return false
  } finally {
    busy.value = false
  }
}

async function post() {
  if (await act('posted', () => api.create(props.timeline.entries, { [bodyField.value]: draft.value }, props.account))) draft.value = ''
}

const set = (pair: OutlinePair, to: string, facts?: Values) => act(`set ${pair.name} ${to}`, () => api.setPair(pair.name, props.account, to, facts))
const unset = (pair: OutlinePair, to: string) => act(`unset ${pair.name} ${to}`, () => api.unsetPair(pair.name, props.account, to))
const edit = (path: string, text: string) => act('edited', () => api.patch(path, { [bodyField.value]: text }, props.account))
const remove = (path: string) => act('removed', () => api.remove(path, props.account))
const add = (path: string, collection: string, text: string) =>
  act(`added to ${collection}`, () => api.create(`${path}/${collection}`, { [headField(named(collection)!)!]: text }, props.account))

const shownGone = 3
const body = (e: Entry) => inline(e.facts[bodyField.value])
</script>

<template>
  <section class="column" :aria-label="`${side}: ${account}`" :data-side="side">
    <AccountPicker :account="account" :collection="timeline.owner" @choose="emit('choose', $event)" />
    <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
    <div class="who panel">
      <div class="line">
        <strong class="name"><RouterLink :to="`/documents/${timeline.owner}/${account}`">{{ title }}</RouterLink></strong>
        <span v-if="states.size" class="toward">
          <PairButton v-for="p in toOther" :key="p.name" :pair="p" :state="states.get(p.name)" :with="other" :busy="busy" @set="set(p, other, $event)" @unset="unset(p, other)" />
        </span>
      </div>
      <div class="counts">
        <span v-for="[key, v] in counts" :key="key" class="kept">{{ key.replaceAll('_', ' ') }} {{ inline(v) }}</span>
      </div>
      <form class="post" @submit.prevent="post">
        <el-input v-model="draft" type="textarea" autosize resize="none" :placeholder="`What does ${account} post?`" :aria-label="`post as ${account}`" />
        <el-button native-type="submit" type="primary" :disabled="busy || draft.trim() === ''" data-act="post">Post</el-button>
      </form>
    </div>
    <label class="view">
      <span class="quiet">shows</span>
      <select v-model="view" :aria-label="`what the column of ${account} shows`">
        <option value="">the timeline {{ timeline.name }}</option>
        <option v-for="l in owners?.links" :key="l.name" :value="l.name">{{ l.name.replaceAll('_', ' ') }}</option>
      </select>
    </label>
    <LinkedList v-if="link && linked" :path="`${timeline.owner}/${account}/${link.name}`" :collection="linked" :acts="acts" />
    <template v-else>
      <section v-if="gone.length" class="gone" aria-label="just gone">
        <div v-for="e in gone.slice(0, shownGone)" :key="e.path" class="panel-line">
          <span class="body quiet">gone: {{ body(e) }}</span>
          <button type="button" class="link" data-act="why-not" :aria-expanded="asked === e.path" @click="asked = asked === e.path ? '' : e.path">{{ asked === e.path ? 'Close' : 'Why not?' }}</button>
          <WhyPanel v-if="asked === e.path" :timeline="timeline.name" :owner="account" :path="e.path" />
        </div>
        <p v-if="gone.length > shownGone" class="quiet">and {{ gone.length - shownGone }} more have gone since the page was opened</p>
      </section>
      <p v-if="broken" class="quiet">The stream broke off; it is being taken up again…</p>
      <p v-if="!loaded && !trouble" class="quiet">Loading…</p>
      <p v-else-if="loaded && entries.length === 0" class="quiet empty">Nothing is in this timeline yet: follow somebody, or post.</p>
      <TransitionGroup tag="ol" name="entry">
        <li v-for="e in entries" :key="e.path" :class="{ fresh: fresh.has(e.path) }">
          <EntryCard
            :entry="e" :account="account" :body-field="bodyField" :busy="busy" :timeline="timeline.name" :acts="acts"
            :pairs="toEntries" :marks="marks.get(e.path)" :nested="nested" :owners="[account, other].filter((o, i, all) => o && all.indexOf(o) === i)"
            @edit="edit(e.path, $event)" @remove="remove(e.path)" @set="(pair, facts) => set(pair, idOf(e.path), facts)" @unset="unset($event, idOf(e.path))" @add="(collection, text) => add(e.path, collection, text)"
          />
        </li>
      </TransitionGroup>
    </template>
  </section>
</template>

<style scoped>
.column { min-width: 0; }
.who { margin: 10px 0; }
.line { display: flex; align-items: center; gap: 8px 10px; justify-content: space-between; flex-wrap: wrap; }
.name { font-size: 16px; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.name a { color: var(--text); }
.toward { display: flex; flex-wrap: wrap; gap: 6px; min-width: 0; max-width: 100%; }
.counts { display: flex; flex-wrap: wrap; gap: 6px; margin: 8px 0 12px; font-size: 13px; min-height: 22px; }
.post { display: flex; gap: 8px; align-items: flex-start; }
.view { display: flex; align-items: center; gap: 8px; margin: 0 0 10px; font-size: 13px; }
select { font: inherit; color: var(--text); background: var(--surface); border: 1px solid var(--line); border-radius: 6px; padding: 3px 6px; max-width: 100%; }
.gone { border: 1px dashed var(--line); border-radius: var(--radius); padding: 6px 14px; margin-bottom: 10px; font-size: 13px; }
.gone p { margin: 4px 0 0; }
.panel-line { display: grid; grid-template-columns: 1fr auto; gap: 2px 10px; }
.panel-line > .why { grid-column: 1 / -1; }
.panel-line .body { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.link { font: inherit; color: var(--accent); background: none; border: 0; padding: 0; cursor: pointer; }
ol { list-style: none; margin: 0; padding: 0; background: var(--surface); border: 1px solid var(--line); border-radius: var(--radius); overflow: hidden; }
ol:empty { display: none; }
li + li { border-top: 1px solid var(--line); }
.empty { padding: 12px 0; }
@media (prefers-reduced-motion: no-preference) {
  .entry-move { transition: transform 0.25s ease; }
  .entry-enter-from, .entry-leave-to { opacity: 0; }
}
</style>
