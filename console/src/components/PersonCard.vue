<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { api, wordsOf, type Document, type OutlineCollection, type PairState, type Values } from '../api/client'
import { useLatest } from '../composables/latest'
import type { OutlinePair } from '../composables/marks'
import { headField } from '../composables/place'
import { inline } from '../format'
import PairButton from './PairButton.vue'

/** Who an account is, what it has done to the other one, and what it posts. */
const props = defineProps<{
  account: string
  other: string
  owners: OutlineCollection // what accounts are
  pairs: OutlinePair[] // what the account can do to the other one
  looks: number // it looks again whenever this changes
  busy: boolean
  post: (text: string) => Promise<boolean>
}>()
const emit = defineEmits<{ set: [pair: OutlinePair, facts?: Values]; unset: [pair: OutlinePair]; missing: [boolean] }>()

const person = shallowRef<Document>()
const states = shallowRef(new Map<string, PairState>())
const trouble = ref('')
const draft = ref('')

const title = computed(() => {
  const field = headField(props.owners)
  return field && person.value ? inline(person.value.facts[field]) : props.account
})
const counts = computed(() =>
  props.owners.kept.filter((k) => k.kind === 'count').map((k) => [k.name, person.value?.kept[k.name]] as const),
)

const latest = useLatest()
function look() {
  void latest(
    async () => {
      const document = await api.document(`${props.owners.name}/${props.account}`)
      const found = new Map<string, PairState>()
      if (props.other !== '' && props.other !== props.account) {
        await Promise.all(
          props.pairs.map(async (p) => found.set(p.name, await api.pair(p.name, props.account, props.other))),
        )
      }
      return { document, found }
    },
    ({ document, found }) => {
      person.value = document
      states.value = found
      trouble.value = ''
      emit('missing', false)
    },
    (error) => {
      person.value = undefined
      trouble.value = wordsOf(error)
      emit('missing', true)
    },
  )
}
watch(
  () => [props.account, props.other],
  () => (states.value = new Map()),
)
watch(() => [props.account, props.other, props.looks], look, { immediate: true })

async function send() {
  if (await props.post(draft.value)) draft.value = ''
}
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <div class="who panel">
    <div class="line">
      <strong class="name">
        <RouterLink :to="`/documents/${owners.name}/${account}`">{{ title }}</RouterLink>
      </strong>
      <span v-if="states.size" class="toward">
        <PairButton
          v-for="p in pairs"
          :key="p.name"
          :pair="p"
          :state="states.get(p.name)"
          :with="other"
          :busy="busy"
          @set="emit('set', p, $event)"
          @unset="emit('unset', p)"
        />
      </span>
    </div>
    <div class="counts">
      <span v-for="[key, v] in counts" :key="key" class="kept">{{ key.replaceAll('_', ' ') }} {{ inline(v) }}</span>
    </div>
    <form class="post" @submit.prevent="send">
      <el-input
        v-model="draft"
        type="textarea"
        autosize
        resize="none"
        :placeholder="`What does ${account} post?`"
        :aria-label="`post as ${account}`"
      />
      <el-button native-type="submit" type="primary" :disabled="busy || draft.trim() === ''" data-act="post">
        Post
      </el-button>
    </form>
  </div>
</template>

<style scoped>
.who {
  margin: 10px 0;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px 10px;
  justify-content: space-between;
  flex-wrap: wrap;
}
.name {
  font-size: 16px;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name a {
  color: var(--text);
}
.toward {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  min-width: 0;
  max-width: 100%;
}
.counts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 8px 0 12px;
  font-size: 13px;
  min-height: 22px;
}
.post {
  display: flex;
  gap: 8px;
  align-items: flex-start;
}
</style>
