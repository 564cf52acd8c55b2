<script setup lang="ts">
import PanelBox from '../components/kit/PanelBox.vue'
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, type Heard } from '../api/client'
import AccountPicker from '../components/AccountPicker.vue'
import { useCalls, type Call } from '../composables/calls'
import { useOutline } from '../composables/outline'
import { duration } from '../format'

// Every call that an app can make, to be tried as an account or as the operator.
const route = useRoute()
const { outline } = useOutline()
const { calls, trouble } = useCalls()

const wanted = ref('')
const groups = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/)
  const found = new Map<string, Call[]>()
  for (const c of calls.value) {
    const text = `${c.method} ${c.path} ${c.id} ${c.summary}`.toLowerCase()
    if (words.every((w) => text.includes(w))) found.set(c.group, [...(found.get(c.group) ?? []), c])
  }
  return found
})
const call = computed(
  () =>
    calls.value.find((c) => c.id === route.query.call) ??
    calls.value.find((c) => c.path.startsWith('/v1/collections/')),
)

const given = reactive<Record<string, string>>({})
const body = ref('')
const as = ref('')
const heard = shallowRef<Heard>()
const busy = ref(false)

watch(
  call,
  (c) => {
    for (const name of Object.keys(given)) delete given[name]
    body.value = c?.body ?? ''
    heard.value = undefined
  },
  { immediate: true },
)

const ready = computed(() => call.value?.inputs.every((i) => !i.required || given[i.name]))
/** The address as it will be asked. */
const address = computed(() => {
  if (!call.value) return ''
  const path = call.value.path.replace(/\{(\w+)\}/g, (whole, name: string) =>
    given[name] ? encodeURIComponent(given[name]) : whole,
  )
  const query = new URLSearchParams(
    call.value.inputs.filter((i) => i.in === 'query' && given[i.name]).map((i) => [i.name, given[i.name]!]),
  )
  return path + (query.size ? `?${query}` : '')
})

async function send() {
  if (!call.value) return
  busy.value = true
  heard.value = await api.call(
    call.value.method,
    address.value,
    call.value.media,
    call.value.media ? body.value : '',
    as.value,
  )
  busy.value = false
}
</script>

<template>
  <div class="page">
    <nav aria-label="calls">
      <el-input v-model="wanted" placeholder="find a call" aria-label="find a call" clearable data-part="find" />
      <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
      <p v-if="calls.length && groups.size === 0" class="quiet">No call says “{{ wanted }}”.</p>
      <section v-for="[group, some] in groups" :key="group">
        <h2>{{ group }}</h2>
        <RouterLink
          v-for="c in some"
          :key="c.id"
          :to="{ query: { call: c.id } }"
          :class="{ here: c === call }"
          replace
          >{{ c.summary }}</RouterLink
        >
      </section>
    </nav>
    <section v-if="call" class="content">
      <h1>{{ call.summary }}</h1>
      <p class="mono address" data-part="address">{{ call.method }} {{ address }}</p>
      <form class="panel" @submit.prevent="send">
        <AccountPicker v-if="outline?.accounts" :account="as" :collection="outline.accounts" @choose="as = $event" />
        <label v-for="i in call.inputs" :key="i.name" :title="i.hint">
          <span>{{ i.name }}<em v-if="i.required"> needed</em></span>
          <el-input v-model="given[i.name]" :placeholder="i.hint" :aria-label="i.name" :data-input="i.name" />
        </label>
        <label v-if="call.media">
          <span>body, {{ call.media }}</span>
          <el-input
            v-model="body"
            type="textarea"
            :autosize="{ minRows: 4, maxRows: 16 }"
            class="mono"
            aria-label="body"
            data-input="body"
          />
        </label>
        <div class="row">
          <el-button type="primary" native-type="submit" :loading="busy" :disabled="!ready" data-act="send"
            >Send</el-button
          >
          <span class="quiet">{{ as ? `as ${as}` : 'as the operator, for whom no rule holds' }}</span>
        </div>
      </form>
      <PanelBox v-if="heard" data-part="answer">
        <p>
          <strong :class="{ bad: heard.status >= 400 }">{{ heard.status || 'no answer' }}</strong>
          {{ ' ' }}
          <span class="quiet"
            >in {{ duration(heard.ms)
            }}<template v-for="[name, value] in heard.headers" :key="name"> · {{ name }} {{ value }}</template></span
          >
        </p>
        <pre class="mono">{{ heard.text }}</pre>
      </PanelBox>
    </section>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: 280px minmax(0, 1fr);
  gap: 24px;
  align-items: start;
}
nav {
  display: grid;
  gap: 14px;
  max-height: calc(100vh - 110px);
  overflow: auto;
  position: sticky;
  top: 16px;
  padding: 2px 6px 2px 2px;
}
nav section {
  display: grid;
}
nav h2 {
  color: var(--quiet);
  font-size: 12px;
  font-weight: 500;
  margin: 0 0 2px;
}
nav a {
  color: var(--text);
  padding: 4px 8px;
  border-radius: 6px;
  font-size: 13px;
}
nav a:hover {
  text-decoration: none;
  background: var(--surface);
}
nav a.here {
  background: var(--surface);
  box-shadow: inset 0 0 0 1px var(--line);
  font-weight: 550;
}
.content {
  display: grid;
  gap: 12px;
  min-width: 0;
}
.address {
  margin: 0;
  overflow-wrap: anywhere;
  color: var(--quiet);
}
form {
  display: grid;
  gap: 10px;
}
label {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 10px;
  align-items: start;
}
label span {
  padding-top: 5px;
  color: var(--quiet);
  overflow-wrap: anywhere;
}
em {
  font-style: normal;
  font-size: 12px;
  color: var(--text);
}
.row {
  display: flex;
  align-items: center;
  gap: 12px;
}
pre {
  margin: 8px 0 0;
  max-height: 50vh;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.bad {
  color: var(--warn);
}
p {
  margin: 0;
}
@media (max-width: 800px) {
  .page {
    grid-template-columns: 1fr;
  }
  nav {
    position: static;
    max-height: 40vh;
  }
  label {
    grid-template-columns: 1fr;
    gap: 2px;
  }
}
</style>
