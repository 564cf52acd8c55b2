<!-- What the service says of a design: mistakes, else findings, each with its line and, where there is one, its cure. -->
<script setup lang="ts">
import { ref } from 'vue'
import type { Finding } from '../api/client'
import type { MistakeAt } from '../composables/review'
import { CannotEdit, cured } from '../editor/edits'
import TextDifference from './TextDifference.vue'

const props = defineProps<{ mistakes: MistakeAt[]; findings: Finding[]; text: string }>()
const emit = defineEmits<{ go: [line: number]; change: [text: string] }>()

const shown = ref('')
const after = ref('')
const ended = (sentence: string) => (sentence.endsWith('.') ? sentence : `${sentence}.`)
const idOf = (f: Finding) => `${f.code} ${f.place}`

function show(f: Finding) {
  shown.value = shown.value === idOf(f) ? '' : idOf(f)
  try {
    after.value = cured(props.text, f.edit!)
  } catch (error) {
    if (!(error instanceof CannotEdit)) throw error
    after.value = props.text
  }
}
function take() {
  emit('change', after.value)
  shown.value = ''
}
</script>

<template>
  <ul class="found">
    <li v-for="m in mistakes" :key="`${m.line}:${m.column}:${m.code}`" class="mistake">
      <button class="line" @click="emit('go', m.line)">line {{ m.line }}</button>
      <span>{{ m.says }}</span>
    </li>
    <li v-for="f in findings" :key="idOf(f)" :class="f.accepted ? 'accepted' : f.severity">
      <button class="line" @click="emit('go', f.line)">line {{ f.line }}</button>
      <span>
        <strong class="mono">{{ f.place }}</strong> {{ ended(f.reason) }}
        <span class="quiet">{{ f.accepted ? `Meant so: ${f.accepted}` : `To cure it, ${f.cure}.` }}</span>
      </span>
      <el-button v-if="f.edit && !f.accepted" size="small" :data-cure="f.code" @click="show(f)">Cure</el-button>
      <div v-if="shown === idOf(f)" class="cure">
        <TextDifference :before="text" :after="after" />
        <div class="acts">
          <el-button size="small" type="primary" data-act="take-cure" @click="take">Write it so</el-button>
          <el-button size="small" @click="shown = ''">Leave it</el-button>
        </div>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.found {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 64px 1fr auto;
  gap: 4px 10px;
  align-items: start;
  padding: 8px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}
li:first-child {
  border-top: 0;
}
.line {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
}
.mistake > .line,
.wrong > .line,
.costly > .line {
  color: var(--warn);
  font-weight: 600;
}
.cure {
  grid-column: 1 / -1;
  min-width: 0;
}
.acts {
  margin-top: 8px;
}
</style>
