<script setup lang="ts">
import { ref, watch } from 'vue'
import { api } from '../api/client'

const props = defineProps<{ account: string; collection: string }>()
const emit = defineEmits<{ choose: [account: string] }>()

const text = ref(props.account)
watch(
  () => props.account,
  (a) => (text.value = a),
)

async function suggest(prefix: string, show: (found: { value: string }[]) => void) {
  try {
    const page = await api.list(props.collection, { limit: 20, prefix: prefix === props.account ? '' : prefix })
    show(page.documents.map((d) => ({ value: d.id })))
  } catch {
    show([])
  }
}

function pick(id: string) {
  if (id && id !== props.account) emit('choose', id)
}
</script>

<template>
  <el-autocomplete
    v-model="text"
    :fetch-suggestions="suggest"
    :aria-label="`account, now ${account}`"
    placeholder="an account's id"
    class="picker"
    select-when-unmatched
    @select="pick(String($event.value))"
  >
    <template #prepend>as</template>
  </el-autocomplete>
</template>

<style scoped>
.picker {
  width: 100%;
}
</style>
