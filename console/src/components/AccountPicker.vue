<script setup lang="ts">
import { ref, useId, watch } from 'vue'
import { api } from '../api/client'
import { useLatest } from '../composables/latest'

/** Whose eyes one looks with: an account by its id, with those that begin like what is typed. */
const props = defineProps<{ account: string; collection: string }>()
const emit = defineEmits<{ choose: [account: string] }>()

const list = useId()
const text = ref(props.account)
const found = ref<string[]>([])
const latest = useLatest()
watch(
  () => props.account,
  (a) => (text.value = a),
)

function suggest() {
  const prefix = text.value === props.account ? '' : text.value
  void latest(
    () => api.list(props.collection, { limit: 20, prefix }),
    (page) => (found.value = page.documents.map((d) => d.id)),
    () => (found.value = []),
  )
}

function pick() {
  const id = text.value.trim()
  if (id && id !== props.account) emit('choose', id)
}
</script>

<template>
  <label class="picker">
    <span class="quiet">as</span>
    <input
      v-model="text"
      :list="list"
      :aria-label="`account, now ${account || 'nobody'}`"
      placeholder="an account's id"
      autocomplete="off"
      spellcheck="false"
      @focus="suggest"
      @input="suggest"
      @change="pick"
    />
    <datalist :id="list">
      <option v-for="id in found" :key="id" :value="id" />
    </datalist>
  </label>
</template>

<style scoped>
.picker {
  display: flex;
  align-items: center;
  width: 100%;
  box-sizing: border-box;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--surface);
}
.picker:focus-within {
  border-color: var(--accent);
}
span {
  padding: 0 0 0 12px;
}
input {
  flex: 1;
  min-width: 0;
  height: 32px;
  padding: 0 12px;
  border: 0;
  outline: none;
  background: none;
  color: var(--text);
  font: inherit;
}
input::placeholder {
  color: var(--quiet);
}
</style>
