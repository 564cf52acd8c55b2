<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../api/client'
import DesignEditor from '../components/DesignEditor.vue'
import DraftComparison from '../components/DraftComparison.vue'
import FoundList from '../components/FoundList.vue'
import StateLine from '../components/kit/StateLine.vue'
import ThingForm from '../components/ThingForm.vue'
import { useDraft } from '../composables/draft'
import { useReview } from '../composables/review'
import type { Schema } from '../editor/schema'
import { moment } from '../format'
import { find, reach } from '../picture/reach'

const DesignPicture = defineAsyncComponent(() => import('../components/DesignPicture.vue'))

const route = useRoute()
const router = useRouter()
const name = String(route.params.draft)
const { text, had, standing, trouble, theirs, keep, settle, goesFrom, load } = useDraft(name)
const { mistakes, findings, graph, trouble: unheard, remarks } = useReview(text)
const schema = shallowRef<Schema>()
void api.designSchema().then((s) => (schema.value = s))

/** What is beside the text, and what is chosen, stand in the address, so that it can be handed on. */
const beside = ref(String(route.query.beside ?? 'found'))
const editor = useTemplateRef<InstanceType<typeof DesignEditor>>('editor')
const at = ref(String(route.query.at ?? ''))
watch([at, beside], () => void router.replace({ query: { beside: beside.value, ...(at.value && { at: at.value }) } }))

/** All that can be chosen, by the line that it stands in. */
const lines = computed(() =>
  (graph.value?.things ?? [])
    .flatMap((t) => [{ id: t.id, line: t.line }, ...t.members.map((m) => ({ id: m.id, line: m.line }))])
    .sort((a, b) => a.line - b.line),
)
const moved = (line: number) => (at.value = lines.value.findLast((x) => x.line <= line)?.id ?? '')
const arrives = watch(lines, (all) => {
  const line = all.find((x) => x.id === route.query.at)?.line
  if (line) editor.value?.goTo(line)
  if (all.length) arrives()
})
function choose(id: string) {
  at.value = id
  const line = lines.value.find((x) => x.id === id)?.line
  if (line) editor.value?.goTo(line)
}
/** What the form is about: of what stands at the cursor. */
const path = computed(() => (at.value ? at.value.split('.') : []))
const chosen = computed(() => graph.value && find(graph.value, at.value))
const around = computed(() => (chosen.value ? reach(graph.value!, chosen.value) : undefined))
const names = computed(() => [
  ...new Set(
    (graph.value?.things ?? []).flatMap((t) => [t.name, ...t.members.flatMap((m) => [m.name, `${t.name}.${m.name}`])]),
  ),
])

const open = computed(() => findings.value.filter((f) => !f.accepted).length)
const judged = computed(() => {
  if (mistakes.value.length) return mistakes.value.length === 1 ? '1 mistake' : `${mistakes.value.length} mistakes`
  if (open.value) return open.value === 1 ? '1 finding' : `${open.value} findings`
  return 'nothing found'
})
const state = computed(
  () =>
    ({
      loading: 'loading…',
      kept: had.value ? `kept ${moment(had.value.changed)}` : 'kept',
      changed: 'not kept yet…',
      taken: 'not kept: somebody else has changed it',
      unreachable: `not kept: ${trouble.value} It is tried again.`,
      refused: `not kept: ${trouble.value}`,
      gone: trouble.value,
    })[standing.value],
)
async function compare() {
  await keep()
  beside.value = 'compare'
}
</script>

<template>
  <div class="page">
    <div class="opening">
      <h1>
        Draft <span class="mono">{{ name }}</span>
      </h1>
      <p
        class="quiet"
        :class="{ warn: !['kept', 'changed', 'loading'].includes(standing) }"
        aria-live="polite"
        data-part="standing"
      >
        {{ state }}
      </p>
      <span class="judged" :class="{ warn: mistakes.length > 0 }" data-part="judged">{{ unheard || judged }}</span>
      <el-button type="primary" :disabled="!had || mistakes.length > 0" data-act="compare-draft" @click="compare"
        >Compare with what runs</el-button
      >
    </div>
    <div v-if="theirs" class="panel theirs" role="alert" data-part="theirs">
      <span
        >{{ theirs.author || 'Somebody' }} has kept edition {{ theirs.edition }} of this draft while you were at edition
        {{ had?.edition }}.</span
      >
      <el-button size="small" data-act="take-theirs" @click="settle(false)">Take theirs</el-button>
      <el-button size="small" data-act="keep-mine" @click="settle(true)">Put mine in its place</el-button>
    </div>
    <StateLine v-if="!had" :loading="standing === 'loading'" :trouble="standing === 'loading' ? '' : trouble" />
    <el-button v-if="!had && standing === 'unreachable'" @click="load">Try again</el-button>
    <div v-if="had" class="desk" :class="beside">
      <section class="panel text">
        <DesignEditor ref="editor" v-model="text" :remarks="remarks" :schema="schema" :names="names" @moved="moved" />
      </section>
      <section class="panel side">
        <el-tabs v-model="beside">
          <el-tab-pane name="found" :label="judged">
            <StateLine v-if="mistakes.length + findings.length === 0">
              The service finds nothing in this design that is wrong, costly or doubtful.
            </StateLine>
            <FoundList
              :mistakes="mistakes"
              :findings="findings"
              :text="text"
              @go="editor?.goTo($event)"
              @change="text = $event"
            />
          </el-tab-pane>
          <el-tab-pane name="forms" label="By forms" lazy>
            <ThingForm
              v-if="beside === 'forms' && schema"
              :path="path"
              :text="text"
              :schema="schema"
              :names="names"
              :graph="graph"
              @change="text = $event"
              @choose="choose($event.join('.'))"
            />
          </el-tab-pane>
          <el-tab-pane name="picture" label="Picture" lazy>
            <div v-if="beside === 'picture' && graph" class="stage">
              <DesignPicture :graph="graph" :chosen="at" :reach="around" @choose="choose" />
            </div>
            <StateLine v-else>A design is drawn when it has no mistakes.</StateLine>
          </el-tab-pane>
          <el-tab-pane name="compare" label="Put in force" lazy>
            <DraftComparison
              v-if="beside === 'compare' && mistakes.length === 0"
              :key="had.source"
              :name="name"
              :text="text"
              :base="had.base"
              @applied="goesFrom"
            />
            <StateLine v-else>A design is compared when it has no mistakes.</StateLine>
          </el-tab-pane>
        </el-tabs>
      </section>
    </div>
  </div>
</template>

<style scoped>
.page {
  display: flex;
  flex-direction: column;
  height: calc(100vh - 118px);
  min-height: 520px;
}
.opening {
  flex: none;
  align-items: center;
}
.judged {
  margin-left: auto;
}
.warn {
  color: var(--warn);
  font-weight: 600;
}
.theirs {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 12px;
  border-left: 4px solid var(--warn);
}
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: var(--gap);
}
.text {
  padding: 0;
  overflow: hidden;
}
.side {
  overflow: auto;
  padding-top: 4px;
}
.stage {
  height: calc(100vh - 260px);
  min-height: 360px;
}
/* What is drawn or compared wants room. */
.desk.compare,
.desk.picture {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.7fr);
}
@media (max-width: 900px) {
  .page {
    height: auto;
  }
  .desk.desk {
    grid-template-columns: minmax(0, 1fr);
  }
  .text {
    height: 60vh;
  }
}
</style>
