<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Entry, OutlineCollection, PairState, Values } from '../api/client'
import type { OutlinePair } from '../composables/marks'
import { ago, inline, isPicture, moment } from '../format'
import NestedList from './NestedList.vue'
import PictureView from './PictureView.vue'
import PairButton from './PairButton.vue'
import WhyPanel from './WhyPanel.vue'

// One entry of a timeline: the author's card and the counts are kept, the rest are facts.
const props = defineProps<{
  entry: Entry
  account: string // who acts
  bodyField: string
  busy: boolean
  timeline: string
  owners: string[]
  acts: number
  pairs: OutlinePair[]
  marks?: Map<string, PairState>
  nested: OutlineCollection[]
}>()
const emit = defineEmits<{
  edit: [text: string]
  remove: []
  set: [pair: OutlinePair, facts?: Values]
  unset: [pair: OutlinePair]
  add: [collection: string, text: string]
}>()

const editing = ref(false)
const asking = ref(false)
const open = ref('') // the nested collection that is shown
const text = ref('')
const box = ref<{ focus: () => void }>()

const card = computed(
  () => Object.values(props.entry.kept).find((v) => v && typeof v === 'object') as Record<string, unknown> | undefined,
)
/** The texts of the author's card, but for addresses of pictures. */
const byline = computed(() => {
  const texts = Object.values(card.value ?? {}).filter((v) => typeof v === 'string' && !v.includes('/'))
  return texts.length ? texts.map(inline).join(' · ') : props.entry.author
})
const portrait = computed(() => Object.values(card.value ?? {}).find(isPicture))
const photo = computed(() => Object.values(props.entry.facts).find(isPicture))
const counts = computed(() => Object.entries(props.entry.kept).filter(([, v]) => typeof v === 'number'))
/** Words of the other facts: a place's name, not its coordinates. */
const extras = computed(() =>
  Object.entries(props.entry.facts)
    .filter(([name, v]) => name !== props.bodyField && v && typeof v === 'object')
    .map(
      ([name, v]) =>
        [
          name,
          Object.values(v as object)
            .filter((x) => typeof x === 'string')
            .join(' · '),
        ] as const,
    ),
)

async function start() {
  text.value = inline(props.entry.facts[props.bodyField])
  editing.value = true
  await nextTick()
  box.value?.focus()
}

function save() {
  editing.value = false
  emit('edit', text.value)
}
</script>

<template>
  <article :data-path="entry.path">
    <header>
      <span class="kept byline">
        <PictureView v-if="portrait" :picture="portrait" size="thumbnail" round class="portrait" />
        <span class="names">{{ byline }}</span>
      </span>
      <RouterLink class="quiet" :to="`/documents/${entry.path}`"
        ><time :datetime="entry.at" :title="moment(entry.at)">{{ ago(entry.at) }}</time></RouterLink
      >
    </header>
    <form v-if="editing" @submit.prevent="save">
      <el-input ref="box" v-model="text" type="textarea" autosize resize="none" aria-label="new text" />
      <el-button size="small" type="primary" native-type="submit" data-act="save">Save</el-button>
      <el-button size="small" @click="editing = false">Cancel</el-button>
    </form>
    <div v-else class="said">
      <p class="body">{{ inline(entry.facts[bodyField]) }}</p>
      <PictureView v-if="photo" :picture="photo" size="thumbnail" class="photo" />
    </div>
    <footer>
      <span v-for="[name, v] in extras" :key="name" class="quiet extra">{{ v }}</span>
      <span v-for="[name, v] in counts" :key="name" class="kept">{{ name.replaceAll('_', ' ') }} {{ inline(v) }}</span>
    </footer>
    <div v-if="!editing" class="row">
      <PairButton
        v-for="p in pairs"
        :key="p.name"
        :pair="p"
        :state="marks?.get(p.name)"
        :busy="busy"
        small
        @set="emit('set', p, $event)"
        @unset="emit('unset', p)"
      />
      <el-button
        v-for="c in nested"
        :key="c.name"
        size="small"
        link
        :data-act="c.name"
        :aria-expanded="open === c.name"
        @click="open = open === c.name ? '' : c.name"
        >{{ c.name.replaceAll('_', ' ') }}</el-button
      >
      <span class="acts">
        <el-button size="small" link data-act="why" :aria-expanded="asking" @click="asking = !asking">{{
          asking ? 'Close' : 'Why?'
        }}</el-button>
        <template v-if="entry.author === account">
          <el-button size="small" link :disabled="busy" data-act="edit" @click="start">Edit</el-button>
          <el-button size="small" link :disabled="busy" data-act="remove" @click="emit('remove')">Remove</el-button>
        </template>
      </span>
    </div>
    <template v-for="c in nested" :key="c.name">
      <NestedList
        v-if="open === c.name"
        :path="entry.path"
        :collection="c"
        :account="account"
        :busy="busy"
        :acts="acts"
        @add="emit('add', c.name, $event)"
      />
    </template>
    <template v-if="asking">
      <WhyPanel v-for="o in owners" :key="o" :timeline="timeline" :owner="o" :path="entry.path" />
    </template>
  </article>
</template>

<style scoped>
article {
  padding: 10px 14px;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  font-size: 13px;
}
.byline {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.names {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.portrait {
  width: 22px;
  height: 22px;
}
.said {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 12px;
}
.photo {
  width: 72px;
  height: 72px;
  margin-top: 6px;
}
.body {
  margin: 6px 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
form {
  margin: 6px 0;
  display: grid;
  gap: 6px;
  grid-template-columns: auto auto 1fr;
}
form > :first-child {
  grid-column: 1 / -1;
}
footer {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  font-size: 12px;
}
.extra {
  margin-right: 6px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin-top: 6px;
  font-size: 12px;
}
.acts {
  margin-left: auto;
}
</style>
