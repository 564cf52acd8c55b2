<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { computed, ref, shallowRef, toRef, watch } from 'vue'
import { api, wordsOf, type Answer, type Document, type Outline } from '../api/client'
import { useLiveTimeline } from '../composables/live'
import { headField } from '../composables/place'
import { duration, inline } from '../format'
import AccountPicker from './AccountPicker.vue'
import EntryCard from './EntryCard.vue'

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
const { entries, loaded, broken, fresh } = useLiveTimeline(computed(() => props.timeline.name), toRef(props, 'account'), shown)
const person = shallowRef<Document>()
const trouble = ref('')
const follows = ref<boolean>() // not known yet
const draft = ref('')
const busy = ref(false)

const owners = computed(() => props.outline.collections.find((c) => c.name === props.timeline.owner))
const posts = computed(() => props.outline.collections.find((c) => c.name === props.timeline.entries))
const bodyField = computed(() => (posts.value ? headField(posts.value) : undefined) ?? 'text')
const name = computed(() => {
  const field = owners.value?.fields.find((f) => f.name === 'name')?.name
  return field && person.value ? inline(person.value.facts[field]) : props.account
})
const counts = computed(() =>
  (owners.value?.kept ?? []).filter((k) => k.kind === 'count').map((k) => [k.name, person.value?.kept[k.name]] as const),
)

async function look() {
  try {
    person.value = await api.document(`${props.timeline.owner}/${props.account}`)
    follows.value = props.other !== '' && props.other !== props.account && (await api.pair(props.timeline.through, props.account, props.other)).set
    trouble.value = ''
  } catch (error) {
    person.value = undefined
    trouble.value = wordsOf(error)
  }
}
watch(() => [props.account, props.other], () => (follows.value = undefined))
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

const toggleFollow = () =>
  act(`${follows.value ? 'no longer follows' : 'now follows'} ${props.other}`, () =>
    (follows.value ? api.unsetPair : api.setPair)(props.timeline.through, props.account, props.other))

const edit = (path: string, text: string) => act('edited', () => api.patch(path, { [bodyField.value]: text }, props.account))
const remove = (path: string) => act('removed', () => api.remove(path, props.account))
</script>

<template>
  <section class="column" :aria-label="`${side}: ${account}`" :data-side="side">
    <AccountPicker :account="account" :collection="timeline.owner" @choose="emit('choose', $event)" />
    <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
    <div class="who panel">
      <div class="line">
        <strong class="name"><RouterLink :to="`/documents/${timeline.owner}/${account}`">{{ name }}</RouterLink></strong>
        <el-button v-if="follows !== undefined && other && other !== account" size="small" :type="follows ? 'default' : 'primary'" :disabled="busy" data-act="follow" @click="toggleFollow">
          {{ follows ? `Unfollow ${other}` : `Follow ${other}` }}
        </el-button>
      </div>
      <div class="counts">
        <span v-for="[key, v] in counts" :key="key" class="kept">{{ key.replaceAll('_', ' ') }} {{ inline(v) }}</span>
      </div>
      <form class="post" @submit.prevent="post">
        <el-input v-model="draft" type="textarea" autosize resize="none" :placeholder="`What does ${account} post?`" :aria-label="`post as ${account}`" />
        <el-button native-type="submit" type="primary" :disabled="busy || draft.trim() === ''" data-act="post">Post</el-button>
      </form>
    </div>
    <p v-if="broken" class="quiet">The stream broke off; it is being taken up again…</p>
    <p v-if="!loaded && !trouble" class="quiet">Loading…</p>
    <p v-else-if="loaded && entries.length === 0" class="quiet empty">Nothing is in this timeline yet: follow somebody, or post.</p>
    <TransitionGroup tag="ol" name="entry">
      <li v-for="e in entries" :key="e.path" :class="{ fresh: fresh.has(e.path) }">
        <EntryCard :entry="e" :mine="e.author === account" :body-field="bodyField" :busy="busy" :timeline="timeline.name" :owners="[account, other].filter((o, i, all) => o && all.indexOf(o) === i)" @edit="edit(e.path, $event)" @remove="remove(e.path)" />
      </li>
    </TransitionGroup>
  </section>
</template>

<style scoped>
.column { min-width: 0; }
.who { margin: 10px 0; }
.line { display: flex; align-items: center; gap: 10px; justify-content: space-between; }
.name { font-size: 16px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.name a { color: var(--text); }
.counts { display: flex; flex-wrap: wrap; gap: 6px; margin: 8px 0 12px; font-size: 13px; min-height: 22px; }
.post { display: flex; gap: 8px; align-items: flex-start; }
ol { list-style: none; margin: 0; padding: 0; background: var(--surface); border: 1px solid var(--line); border-radius: var(--radius); overflow: hidden; }
ol:empty { display: none; }
li + li { border-top: 1px solid var(--line); }
.empty { padding: 12px 0; }
@media (prefers-reduced-motion: no-preference) {
  .entry-move { transition: transform 0.25s ease; }
  .entry-enter-from, .entry-leave-to { opacity: 0; }
}
</style>
