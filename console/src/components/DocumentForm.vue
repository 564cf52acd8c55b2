<script setup lang="ts">
import { ElMessage } from 'element-plus'
import { computed, reactive, ref, watch } from 'vue'
import { Problem, wordsOf, type OutlineCollection, type Values } from '../api/client'

// Edits the facts of a document. The service checks them: the form only shows
// each of its objections at the field that it is about.
const props = defineProps<{
  collection: OutlineCollection
  facts?: Values // of the document to edit; none for a new one
  title: string
  save: (changed: Values, as: string, id: string) => Promise<unknown>
}>()
const open = defineModel<boolean>({ required: true })

const text = reactive<Record<string, string>>({})
const wrong = reactive<Record<string, string>>({})
const id = ref('')
const as = ref('')
const saving = ref(false)
const isNew = computed(() => props.facts === undefined)
const editable = computed(() => props.collection.fields.filter((f) => isNew.value || !f.fixed))

const isPlain = (type: string) => ['string', 'reference', 'media', 'timestamp'].includes(type)

function write(value: unknown, type: string): string {
  if (value === undefined || value === null) return ''
  return isPlain(type) ? String(value) : JSON.stringify(value)
}

function read(raw: string, type: string): unknown {
  if (raw.trim() === '') return null
  if (isPlain(type)) return raw
  try {
    return JSON.parse(raw)
  } catch {
    return raw // the service says what it should be
  }
}

watch(
  open,
  (now) => {
    if (!now) return
    for (const f of props.collection.fields) {
      text[f.name] = write(props.facts?.[f.name], f.type)
      wrong[f.name] = ''
    }
    id.value = ''
  },
  { immediate: true },
)

async function submit() {
  const changed: Values = {}
  for (const f of editable.value) {
    wrong[f.name] = ''
    const before = write(props.facts?.[f.name], f.type)
    if (text[f.name] !== before) changed[f.name] = read(text[f.name] ?? '', f.type)
  }
  saving.value = true
  try {
    await props.save(changed, as.value, id.value)
    open.value = false
  } catch (error) {
    let placed = false
    for (const m of error instanceof Problem ? error.mistakes : []) {
      const name = m.pointer.split('/')[2] ?? ''
      if (m.pointer.startsWith('/facts/') && name in wrong) {
        wrong[name] = m.detail
        placed = true
      }
    }
    if (!placed) ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  } finally {
    saving.value = false
  }
}
</script>

<template>
  <el-dialog v-model="open" :title="title" width="min(620px, 94vw)">
    <el-form label-position="top" @submit.prevent="submit">
      <div v-if="isNew" class="pair">
        <el-form-item label="id"><el-input v-model="id" placeholder="chosen by the service" /></el-form-item>
        <el-form-item label="as"><el-input v-model="as" placeholder="an account's id" /></el-form-item>
      </div>
      <el-form-item
        v-for="f in editable"
        :key="f.name"
        :label="`${f.name}${f.required ? ' (required)' : ''}`"
        :error="wrong[f.name]"
      >
        <el-input
          v-model="text[f.name]"
          :aria-label="f.name"
          :type="f.name === 'text' || f.type === 'object' ? 'textarea' : 'text'"
          autosize
          :placeholder="isPlain(f.type) ? f.type : `${f.type}, as JSON`"
        />
      </el-form-item>
      <el-button type="primary" native-type="submit" :loading="saving">Save</el-button>
      <el-button @click="open = false">Cancel</el-button>
    </el-form>
  </el-dialog>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: var(--gap);
}
</style>
