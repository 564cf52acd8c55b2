<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, shallowRef, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf, type DesignGraph } from '../api/client'
import ChosenThing from '../components/ChosenThing.vue'
import DesignPicture from '../components/DesignPicture.vue'
import StateLine from '../components/kit/StateLine.vue'
import { useOutline } from '../composables/outline'
import { find, reach } from '../picture/reach'

const { outline } = useOutline()
const route = useRoute()
const router = useRouter()
const graph = shallowRef<DesignGraph>()
const trouble = ref('')
const picture = useTemplateRef<InstanceType<typeof DesignPicture>>('picture')

api.graph().then(
  (g) => (graph.value = g),
  (error) => (trouble.value = wordsOf(error)),
)

/** What is chosen stands in the address, so that it can be handed on. */
const at = computed(() => String(route.query.at ?? ''))
const chosen = computed(() => graph.value && find(graph.value, at.value))
const around = computed(() => (chosen.value ? reach(graph.value!, chosen.value) : undefined))

function choose(id: string) {
  void router.replace({ query: id ? { at: id } : {} })
}

const leave = (event: KeyboardEvent) => event.key === 'Escape' && choose('')
onMounted(() => window.addEventListener('keydown', leave))
onUnmounted(() => window.removeEventListener('keydown', leave))
function chooseFromAfar(id: string) {
  choose(id)
  picture.value?.show(id)
}

/** All that can be chosen, as it is looked for. */
const names = computed(() =>
  (graph.value?.things ?? []).flatMap((t) => [
    { id: t.id, label: `${t.name} (${t.accounts ? 'accounts' : t.kind})` },
    ...t.members.map((m) => ({ id: m.id, label: `${t.name}.${m.name}` })),
  ]),
)
const inAll = computed(() =>
  ['collection', 'pair', 'timeline', 'list', 'trigger', 'screen']
    .map((kind) => [kind, graph.value?.things.filter((t) => t.kind === kind).length ?? 0] as const)
    .filter(([, n]) => n > 0)
    .map(([kind, n]) => (n === 1 ? `1 ${kind}` : `${n} ${kind}s`))
    .join(', '),
)
</script>

<template>
  <div class="page">
    <div class="top">
      <h1>What {{ outline?.app }} is made of</h1>
      <p class="quiet">
        Facts are plain, <span class="kept">kept values</span> follow from them. Choose one to see all that it feeds.
      </p>
      <el-select
        :model-value="chosen ? at : ''"
        filterable
        clearable
        placeholder="find a name"
        aria-label="find a name in the design"
        data-act="find"
        @update:model-value="chooseFromAfar($event ?? '')"
      >
        <el-option v-for="n in names" :key="n.id" :value="n.id" :label="n.label" />
      </el-select>
    </div>
    <StateLine v-if="trouble" :trouble="trouble" />
    <div class="stage panel">
      <DesignPicture
        v-if="graph"
        ref="picture"
        :graph="graph"
        :chosen="chosen ? at : ''"
        :reach="around"
        @choose="choose"
      />
      <StateLine v-else-if="!trouble" loading />
    </div>
    <div class="strip panel">
      <ChosenThing v-if="chosen && around" :chosen="chosen" :reach="around" @choose="chooseFromAfar" />
      <p v-else-if="graph" class="quiet">
        {{ inAll }}. What you choose is told here: what it means from both ends, how often it is rewritten, what that
        costs a day.
      </p>
    </div>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-rows: auto minmax(320px, 1fr) 116px;
  gap: 8px;
  height: calc(100vh - 118px);
  min-height: 520px;
}
.top {
  display: flex;
  align-items: baseline;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.top p {
  margin: 0;
  flex: 1;
}
.top :deep(.el-select) {
  width: 220px;
}
.stage {
  padding: 0;
  overflow: hidden;
}
.strip {
  padding: 10px 16px;
  overflow: hidden;
}
.strip > p {
  margin: 0;
}
@media (max-width: 900px) {
  .page {
    height: auto;
    grid-template-rows: auto 60vh auto;
  }
}
</style>
