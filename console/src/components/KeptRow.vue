<script setup lang="ts">
import { ref, shallowRef } from 'vue'
import { api, wordsOf, type OutlineCollection, type Sources } from '../api/client'
import { count, inline, moment } from '../format'
import PathLink from './PathLink.vue'
import ValueView from './ValueView.vue'

// A kept value, and on demand what it is made of.
const props = defineProps<{
  path: string
  kept: OutlineCollection['kept'][number]
  value: unknown
  building: boolean
}>()

const sources = shallowRef<Sources>()
const trouble = ref('')

async function toggle() {
  if (sources.value) {
    sources.value = undefined
    return
  }
  try {
    sources.value = await api.whyKept(props.path, props.kept.name)
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
</script>

<template>
  <tr :data-kept="kept.name">
    <th scope="row">{{ kept.name }}</th>
    <td>
      <div class="kept">
        <span v-if="building && value === undefined" class="quiet">being derived</span
        ><template v-else
          ><ValueView :value="value" /><span v-if="building" class="quiet"> being derived anew</span></template
        >
      </div>
    </td>
    <td class="quiet source">
      {{ kept.kind }} {{ kept.from }}
      <el-button size="small" link data-act="why" :aria-expanded="!!sources" @click="toggle">{{
        sources ? 'close' : 'why?'
      }}</el-button>
    </td>
  </tr>
  <tr v-if="trouble">
    <td colspan="3" class="quiet">{{ trouble }}</td>
  </tr>
  <tr v-if="sources">
    <td colspan="3" class="sources">
      <p class="quiet">
        {{ count(sources.many) }} {{ sources.many === 1 ? 'source' : 'sources'
        }}<template v-if="sources.sources.length < sources.many"
          >, {{ count(sources.sources.length) }} of them shown</template
        >
      </p>
      <p v-for="d in sources.due" :key="d.says" class="warn">{{ d.says }}</p>
      <ul>
        <li v-for="s in sources.sources" :key="s.path">
          <PathLink :path="s.path" /><span v-if="s.value !== undefined"> {{ inline(s.value) }}</span
          ><time v-if="s.at" class="quiet">{{ moment(s.at) }}</time>
        </li>
      </ul>
    </td>
  </tr>
</template>

<style scoped>
th {
  vertical-align: top;
  padding-top: 5px;
  border-top: 1px solid var(--line);
  width: 1%;
}
.source {
  white-space: nowrap;
  text-align: right;
}
.sources {
  border-top: 0;
}
.sources p {
  margin: 0 0 4px;
}
.warn {
  color: var(--warn);
}
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0 0 0 10px;
  border-left: 2px solid var(--line);
  max-height: 260px;
  overflow-y: auto;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  justify-content: space-between;
}
</style>
