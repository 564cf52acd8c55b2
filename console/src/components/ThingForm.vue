<!-- What stands at a place of a design, by a form: its values, what stands below it, another name, its end. The form
knows the schema and nothing else; every change is an edit of the text, and what it means the service says. -->
<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, Problem, wordsOf, type DesignGraph } from '../api/client'
import { useLatest } from '../composables/latest'
import { CannotEdit, put, takeOut, valueAt, type Path } from '../editor/edits'
import { renamedAll } from '../editor/renaming'
import { askedAt, groupsAt, keysAt, neededAt, valuesAt, type Schema } from '../editor/schema'
import { inBraces, shown, written } from '../editor/values'
import { find } from '../picture/reach'
import FormRow from './FormRow.vue'

const props = defineProps<{ path: Path; text: string; schema: Schema; names: string[]; graph?: DesignGraph }>()
const emit = defineEmits<{ change: [text: string]; choose: [path: Path] }>()

const refusal = ref('')
const running = ref('')
onMounted(
  () =>
    void api.source().then(
      (s) => (running.value = s),
      () => (running.value = ''),
    ),
)

/** Makes an edit; why it cannot be made stands on the form. */
function change(edit: () => string) {
  refusal.value = ''
  try {
    emit('change', edit())
  } catch (error) {
    if (!(error instanceof CannotEdit)) throw error
    refusal.value = error.message
  }
}

/** What stands at a place; nothing while the text is no YAML, which the page says. */
function readAt(path: Path) {
  try {
    return valueAt(props.text, path)
  } catch (error) {
    if (!(error instanceof CannotEdit)) throw error
    return undefined
  }
}

interface Row {
  name: string
  about: string
  asked: ReturnType<typeof askedAt>
  values: string[]
  needed: boolean
}
function rowsOf(path: Path): Row[] {
  const groups = new Set(groupsAt(props.schema, path).map((g) => g.name))
  const needed = neededAt(props.schema, path)
  return keysAt(props.schema, path)
    .filter((k) => !groups.has(k.name))
    .map(({ name, about }) => {
      const at = [...path, name]
      const asked = askedAt(props.schema, at)
      return { name, about, asked, values: valuesAt(props.schema, at), needed: needed.has(name) }
    })
}

const here = computed(() => (readAt(props.path) ? rowsOf(props.path) : []))
const valueOf = (row: Row) => {
  const v = readAt([...props.path, row.name])
  return v ? shown(row.asked, v.meant, v.written) : ''
}
const values = computed(() => new Map(here.value.map((r) => [r.name, valueOf(r)])))
function set(row: Row, text: string) {
  const value = written(row.asked, text)
  change(() => (value ? put(props.text, props.path, row.name, value) : takeOut(props.text, props.path, row.name)))
}
/** Values that are there come first; the rest is asked for when it is wanted. */
const used = computed(() => here.value.filter((r) => values.value.get(r.name) || r.needed))
const spare = computed(() => here.value.filter((r) => !used.value.includes(r)))
const all = ref(false)
/** What is said of a thing in sentences: the first few, or all. */
const few = 4
const wordy = ref(false)

const groups = computed(() =>
  groupsAt(props.schema, props.path).map((g) => ({
    ...g,
    things: Object.keys((readAt([...props.path, g.name])?.meant as object | undefined) ?? {}),
  })),
)

// What is added is asked for whole, and told in words before it is there.
const group = ref('')
const name = ref('')
const filled = ref<Record<string, string>>({})
const newPath = computed<Path>(() => [...props.path, group.value, name.value.trim()])
const newRows = computed(() => (group.value ? rowsOf([...props.path, group.value, 'x']) : []))
const needs = computed(() => newRows.value.filter((r) => r.needed || filled.value[r.name]))
const more = ref(false)
function open(g: string) {
  group.value = group.value === g ? '' : g
  name.value = ''
  filled.value = {}
  more.value = false
}
const withNew = computed(() => {
  if (!group.value || !/^[a-z][a-z0-9_]*$/.test(name.value.trim())) return undefined
  const at = [...props.path, group.value]
  const pairs = newRows.value
    .map((r): [string, string] => [r.name, written(r.asked, filled.value[r.name] ?? '')])
    .filter(([, v]) => v !== '')
  try {
    return put(props.text, at, name.value.trim(), inBraces(pairs))
  } catch {
    return undefined
  }
})
const preview = shallowRef<{ says: string[]; wrong: string[] }>()
const latest = useLatest()
watch(withNew, (text) => {
  preview.value = undefined
  if (text === undefined) return
  const id = newPath.value.join('.')
  void latest(
    () => api.graph(text),
    (g) => {
      const found = find(g, id)
      preview.value = { says: [(found?.member ?? found?.thing)?.says ?? []].flat(), wrong: [] }
    },
    (error) => {
      const wrong =
        error instanceof Problem && error.mistakes.length ? error.mistakes.map((m) => m.detail) : [wordsOf(error)]
      preview.value = { says: [], wrong }
    },
  )
})
function add() {
  if (withNew.value === undefined) return
  const path = newPath.value
  emit('change', withNew.value)
  group.value = ''
  emit('choose', path)
}

const own = computed(() => String(props.path[props.path.length - 1] ?? ''))
const isNamed = computed(() => props.path.length >= 2 && props.path.length % 2 === 0)
const newName = ref('')
watch(
  () => props.path.join('.'),
  () => {
    newName.value = own.value
    refusal.value = group.value = ''
    all.value = wordy.value = false
  },
  { immediate: true },
)
const busy = ref(false)
async function callIt() {
  busy.value = true
  refusal.value = ''
  try {
    const text = await renamedAll(props.schema, props.text, running.value, props.path, newName.value.trim())
    emit('change', text)
    emit('choose', [...props.path.slice(0, -1), newName.value.trim()])
  } catch (error) {
    refusal.value = error instanceof CannotEdit ? error.message : wordsOf(error)
  } finally {
    busy.value = false
  }
}
function remove() {
  change(() => takeOut(props.text, props.path.slice(0, -1), own.value))
  emit('choose', props.path.slice(0, -2))
}

const says = computed(() => {
  const found = props.graph && find(props.graph, props.path.join('.'))
  return [(found?.member ?? found?.thing)?.says ?? []].flat()
})
const trail = computed(() => props.path.map((p, i) => ({ name: String(p), path: props.path.slice(0, i + 1) })))
</script>

<template>
  <nav class="trail" aria-label="where this is in the design">
    <button data-go="" @click="emit('choose', [])">the design</button>
    <template v-for="(t, i) in trail" :key="i">
      <span class="quiet">/</span>
      <button v-if="i % 2 === 1" class="mono" @click="emit('choose', t.path)">{{ t.name }}</button>
      <span v-else class="quiet">{{ t.name }}</span>
    </template>
  </nav>
  <ul v-if="says.length" class="says">
    <li v-for="s in wordy ? says : says.slice(0, few)" :key="s">{{ s }}</li>
  </ul>
  <el-button v-if="says.length > few" link data-act="wordy" @click="wordy = !wordy">{{
    wordy ? 'fewer words' : `${says.length - few} more sentences`
  }}</el-button>
  <p v-if="refusal" class="warn" role="alert">{{ refusal }}</p>
  <datalist id="names-of-the-design">
    <option v-for="n in names" :key="n" :value="n" />
  </datalist>

  <section v-for="g in groups" :key="g.name" class="group" :data-group="g.name">
    <h3>{{ g.name }}</h3>
    <button
      v-for="t in g.things"
      :key="t"
      class="thing mono"
      :class="{ kept: g.name === 'kept' }"
      :data-thing="t"
      @click="emit('choose', [...path, g.name, t])"
    >
      {{ t }}
    </button>
    <el-button size="small" :data-add="g.name" @click="open(g.name)">Add…</el-button>
    <form v-if="group === g.name" class="new" @submit.prevent="add">
      <label class="name">called <input v-model="name" data-act="new-name" spellcheck="false" /></label>
      <FormRow
        v-for="r in more || needs.length === 0 ? newRows : needs"
        :key="r.name"
        v-bind="r"
        :model-value="filled[r.name] ?? ''"
        names="names-of-the-design"
        @update:model-value="filled = { ...filled, [r.name]: $event }"
      />
      <el-button v-if="!more && needs.length && needs.length < newRows.length" link data-act="more" @click="more = true"
        >more that can be said of it</el-button
      >
      <ul v-if="preview" class="says" data-part="preview">
        <li v-for="s in preview.says" :key="s">{{ s }}</li>
        <li v-for="w in preview.wrong" :key="w" class="warn">{{ w }}</li>
      </ul>
      <el-button size="small" type="primary" native-type="submit" :disabled="withNew === undefined" data-act="add"
        >Add it</el-button
      >
    </form>
  </section>

  <section v-if="here.length" class="group">
    <h3>What is said of it</h3>
    <FormRow
      v-for="r in used"
      :key="path.join('.') + r.name"
      v-bind="r"
      :model-value="values.get(r.name) ?? ''"
      names="names-of-the-design"
      @update:model-value="set(r, $event)"
    />
    <template v-if="all">
      <FormRow
        v-for="r in spare"
        :key="path.join('.') + r.name"
        v-bind="r"
        model-value=""
        names="names-of-the-design"
        @update:model-value="set(r, $event)"
      />
    </template>
    <el-button v-if="spare.length" link data-act="all" @click="all = !all">{{
      all ? 'less' : 'more that can be said of it'
    }}</el-button>
  </section>

  <section v-if="isNamed" class="group end">
    <label
      >called <input v-model="newName" data-act="rename-to" spellcheck="false" />
      <el-button size="small" :disabled="busy || newName.trim() === own" data-act="rename" @click="callIt"
        >Call it so, everywhere</el-button
      ></label
    >
    <el-button size="small" data-act="remove" @click="remove">Take it out of the design</el-button>
  </section>
</template>

<style scoped>
.trail {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.trail button {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.says {
  margin: 8px 0;
  padding-left: 18px;
}
.group {
  border-top: 1px solid var(--line);
  padding: 10px 0;
  margin-top: 8px;
}
h3 {
  font-size: 13px;
  font-weight: 600;
  margin: 0 0 6px;
}
.thing {
  background: none;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 8px;
  margin: 0 6px 6px 0;
  color: inherit;
  cursor: pointer;
}
.thing.kept {
  background: var(--accent-soft);
}
.new {
  margin-top: 8px;
  padding: 10px;
  background: var(--ground);
  border-radius: var(--radius);
}
.name,
.end label {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
.name input,
.end input {
  font: inherit;
  color: inherit;
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 3px 8px;
  width: 150px;
}
.end {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  justify-content: space-between;
}
.warn {
  color: var(--warn);
}
</style>
