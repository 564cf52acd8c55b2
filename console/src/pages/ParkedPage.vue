<script setup lang="ts">
import DataTable from '../components/kit/DataTable.vue'
import PanelBox from '../components/kit/PanelBox.vue'
import { ElMessage } from 'element-plus'
import { onMounted, ref, shallowRef } from 'vue'
import { api, wordsOf, type Parked } from '../api/client'
import { useOutline } from '../composables/outline'
import { count, moment, pieces } from '../format'

const { outline } = useOutline()

const parked = shallowRef<Parked[]>()
const trouble = ref('')
const busy = ref(false)

async function look() {
  try {
    parked.value = (await api.parked()).parked
    trouble.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  }
}
onMounted(look)

async function act(what: () => Promise<string>) {
  busy.value = true
  try {
    ElMessage({ type: 'success', message: await what() })
    await look()
  } catch (error) {
    ElMessage({ type: 'error', message: wordsOf(error), duration: 8000 })
  } finally {
    busy.value = false
  }
}

const retryAll = () =>
  act(async () => {
    const { retried } = await api.retryParked()
    return `Due again: ${count(retried)}. What fails again comes back here.`
  })
const retryOne = (work: number) =>
  act(async () => {
    await api.retryOne(work)
    return 'It is due again. If it fails again it comes back here.'
  })

const drop = (work: number) =>
  act(async () => {
    await api.dropParked(work)
    return 'It is given up. An audit finds what it would have brought in line.'
  })

const sender = ref('')
const from = ref<number>()
const replay = () =>
  act(async () => {
    const { replayed } = await api.replay(sender.value, from.value ?? 0)
    return replayed === 0
      ? `${sender.value} has sent nothing since then.`
      : `Sent again: ${count(replayed)}, each under the id it had.`
  })
</script>

<template>
  <el-alert v-if="trouble" :title="trouble" type="error" :closable="false" />
  <template v-if="parked">
    <div class="head">
      <div>
        <h1>{{ parked.length === 0 ? 'No work is parked' : `${pieces(parked.length)} parked` }}</h1>
        <p class="quiet">
          {{
            parked.length === 0
              ? 'Work that cannot be done would wait here, and hold up nothing else.'
              : 'It cannot be done as things are, or failed too often. It holds up nothing else: mend the cause, ' +
                'then try it again, or drop it.'
          }}
        </p>
      </div>
      <el-button v-if="parked.length" type="primary" :disabled="busy" data-act="retry" @click="retryAll"
        >Try all again</el-button
      >
    </div>
    <PanelBox v-if="parked.length">
      <DataTable :columns="['parked', 'for', 'step', 'error', ['attempts', 'number'], ['change', 'number'], '']">
        <tr v-for="p in parked" :key="p.work">
          <td class="quiet when">{{ moment(p.parked) }}</td>
          <td>{{ p.about }}</td>
          <td>{{ p.step }}</td>
          <td class="error">{{ p.error }}</td>
          <td class="number">{{ p.attempts }}</td>
          <td class="number">
            <RouterLink v-if="p.change" :to="`/changes/${p.change}`">{{ p.change }}</RouterLink>
          </td>
          <td class="number acts">
            <el-button size="small" :disabled="busy" :data-retry="p.work" @click="retryOne(p.work)"
              >Try again</el-button
            >
            <el-button size="small" :disabled="busy" :data-drop="p.work" @click="drop(p.work)">Drop</el-button>
          </td>
        </tr>
      </DataTable>
    </PanelBox>
  </template>
  <PanelBox v-if="outline?.senders.length" class="sent">
    <h2>Send again</h2>
    <p class="quiet">
      What a trigger has sent in the last 7 days, from a change on. Each event keeps its id, so whoever had it can tell.
    </p>
    <form class="again" @submit.prevent="replay">
      <el-select v-model="sender" placeholder="trigger" aria-label="trigger">
        <el-option v-for="s in outline.senders" :key="s" :value="s" :label="s" />
      </el-select>
      <label class="quiet"
        >from change
        <el-input-number v-model="from" :min="0" :controls="false" placeholder="the first" aria-label="from change"
      /></label>
      <el-button native-type="submit" :disabled="busy || !sender" data-act="replay">Send again</el-button>
    </form>
  </PanelBox>
</template>

<style scoped>
.head {
  display: flex;
  gap: var(--gap);
  align-items: flex-start;
  justify-content: space-between;
  margin-bottom: var(--gap);
}
.head p {
  margin: 2px 0 0;
}
.panel {
  overflow-x: auto;
}
.when {
  white-space: nowrap;
}
.error {
  overflow-wrap: anywhere;
}
.acts {
  white-space: nowrap;
}
.sent {
  margin-top: var(--gap);
}
.sent p {
  margin: 0 0 12px;
}
.again {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
}
.again .el-select {
  width: 200px;
}
.again .el-input-number {
  width: 130px;
  margin-left: 6px;
}
</style>
