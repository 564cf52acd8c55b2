<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Entry } from '../api/client'
import { ago, inline, moment } from '../format'
import WhyPanel from './WhyPanel.vue'

// One entry of a timeline: the author's card and the counts are kept, the rest are facts.
const props = defineProps<{ entry: Entry; mine: boolean; bodyField: string; busy: boolean; timeline: string; owners: string[] }>()
const emit = defineEmits<{ edit: [text: string]; remove: [] }>()

const editing = ref(false)
const asking = ref(false)
const text = ref('')
const box = ref<{ focus: () => void }>()

const card = computed(() => Object.values(props.entry.kept).find((v) => v && typeof v === 'object') as Record<string, unknown> | undefined)
const byline = computed(() => (card.value ? [card.value.name, card.value.handle && `@${card.value.handle}`].filter(Boolean).map(inline).join(' ') : props.entry.author))
const counts = computed(() => Object.entries(props.entry.kept).filter(([, v]) => typeof v === 'number'))
/** Words of the other facts: a place's name, not its coordinates. */
const extras = computed(() =>
  Object.entries(props.entry.facts)
    .filter(([name, v]) => name !== props.bodyField && v && typeof v === 'object')
    .map(([name, v]) => [name, Object.values(v as object).filter((x) => typeof x === 'string').join(' · ')] as const),
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
      <span class="kept byline">{{ byline }}</span>
      <RouterLink class="quiet" :to="`/documents/${entry.path}`"><time :datetime="entry.at" :title="moment(entry.at)">{{ ago(entry.at) }}</time></RouterLink>
    </header>
    <form v-if="editing" @submit.prevent="save">
      <el-input ref="box" v-model="text" type="textarea" autosize resize="none" aria-label="new text" />
      <el-button size="small" type="primary" native-type="submit" data-act="save">Save</el-button>
      <el-button size="small" @click="editing = false">Cancel</el-button>
    </form>
    <p v-else class="body">{{ inline(entry.facts[bodyField]) }}</p>
    <footer>
      <span v-for="[name, v] in extras" :key="name" class="quiet extra">{{ v }}</span>
      <span v-for="[name, v] in counts" :key="name" class="kept">{{ name.replaceAll('_', ' ').replace(' count', 's') }} {{ inline(v) }}</span>
      <span v-if="!editing" class="acts">
        <el-button size="small" link data-act="why" :aria-expanded="asking" @click="asking = !asking">{{ asking ? 'Close' : 'Why?' }}</el-button>
      </span>
      <span v-if="mine && !editing" class="own">
        <el-button size="small" link :disabled="busy" data-act="edit" @click="start">Edit</el-button>
        <el-button size="small" link :disabled="busy" data-act="remove" @click="emit('remove')">Remove</el-button>
      </span>
    </footer>
    <template v-if="asking">
      <WhyPanel v-for="o in owners" :key="o" :timeline="timeline" :owner="o" :path="entry.path" />
    </template>
  </article>
</template>

<style scoped>
article { padding: 10px 14px; }
header { display: flex; justify-content: space-between; gap: 10px; font-size: 13px; }
.byline { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.body { margin: 6px 0; overflow-wrap: anywhere; white-space: pre-wrap; }
form { margin: 6px 0; display: grid; gap: 6px; grid-template-columns: auto auto 1fr; }
form > :first-child { grid-column: 1 / -1; }
footer { display: flex; flex-wrap: wrap; align-items: center; gap: 6px; font-size: 12px; }
.extra { margin-right: 6px; }
.acts { margin-left: auto; }
</style>
