<script setup lang="ts">
import '@vue-flow/core/dist/style.css'
import { VueFlow, useVueFlow, type Edge, type Node } from '@vue-flow/core'
import { computed, nextTick, shallowRef, watch } from 'vue'
import type { DesignGraph } from '../api/client'
import { curve, layOut, ownerOf, type Layout, type Line } from '../picture/layout'
import type { Reach } from '../picture/reach'
import ThingBox from './ThingBox.vue'

/** The design as a graph that one can walk through. From afar it shows things alone. */
const props = defineProps<{ graph: DesignGraph; chosen: string; reach?: Reach }>()
const emit = defineEmits<{ choose: [id: string] }>()

const layout = shallowRef<Layout>()
const { fitView, viewport, zoomIn, zoomOut, setCenter } = useVueFlow()
const far = computed(() => viewport.value.zoom < 0.5)
const lit = computed(() => new Set([...(props.reach?.sources ?? []), ...(props.reach?.fed ?? [])]))

const whole = () => fitView({ padding: 0.02, maxZoom: 1 })

watch(
  () => props.graph,
  async (g) => {
    layout.value = await layOut(g)
    await nextTick()
  },
  { immediate: true },
)

const nodes = computed<Node[]>(() =>
  [...(layout.value?.placed.values() ?? [])].map((p) => ({
    id: p.thing.id,
    type: 'thing',
    position: { x: p.x, y: p.y },
    width: p.width,
    height: p.height,
    style: { width: `${p.width}px`, height: `${p.height}px` },
    data: p.thing,
  })),
)
const edges = computed<Edge[]>(() =>
  (layout.value?.lines ?? []).map((l) => ({ id: l.id, type: 'run', source: l.from, target: l.to, data: l })),
)

/** A line is lit if what it runs between is: the one is chosen or lit, and so is the other. */
function isLit(line: Line): boolean {
  if (!props.reach) return false
  const has = (id: string) => props.chosen === id || lit.value.has(id)
  if (line.kind !== 'feeds') return has(line.by)
  return props.graph.feeds.some(
    (f) => ownerOf(f.from) === line.from && ownerOf(f.to) === line.to && has(f.from) && has(f.to),
  )
}
/** What is lit and has no line of its own: from value to value, and from a value to the screen that shows it. */
const direct = computed(() => {
  const l = layout.value
  if (!l || !props.reach) return []
  const has = (id: string) => props.chosen === id || lit.value.has(id)
  const laid = new Set(l.lines.filter((x) => x.kind === 'feeds').map((x) => `${x.from} ${x.to}`))
  return props.graph.feeds
    .filter((f) => has(f.from) && has(f.to) && !laid.has(`${ownerOf(f.from)} ${ownerOf(f.to)}`))
    .map((f) => ({ id: `${f.from} ${f.to}`, path: curve(l, f.from, f.to) }))
})
const run = (line: Line) => [line.kind, { lit: isLit(line), dim: props.chosen !== '' && !isLit(line) }]

/** Brings a thing into sight that was not chosen by hand. */
function show(id: string) {
  const p = layout.value?.placed.get(ownerOf(id))
  if (p) void setCenter(p.x + p.width / 2, p.y + p.height / 2, { zoom: Math.max(viewport.value.zoom, 0.8) })
}
defineExpose({ show })
</script>

<template>
  <div class="picture" :class="{ far }">
    <VueFlow
      v-if="layout"
      :nodes="nodes"
      :edges="edges"
      :nodes-draggable="false"
      :nodes-connectable="false"
      :nodes-focusable="false"
      :edges-focusable="false"
      :elements-selectable="false"
      :min-zoom="0.1"
      :max-zoom="2"
      :only-render-visible-elements="false"
      @nodes-initialized="whole"
      @pane-click="emit('choose', '')"
    >
      <template #node-thing="{ data }">
        <ThingBox :thing="data" :lit="lit" :chosen="chosen" @choose="emit('choose', $event)" />
      </template>
      <template #edge-run="{ data }">
        <path class="run" :class="run(data)" :d="data.path" :data-run="`${data.from} ${data.to}`" />
      </template>
      <template #zoom-pane>
        <svg class="direct">
          <path v-for="d in direct" :key="d.id" class="run feeds lit" :d="d.path" :data-feeds="d.id" />
        </svg>
      </template>
    </VueFlow>
    <div class="zoom" role="group" aria-label="size of the picture">
      <button type="button" aria-label="nearer" @click="zoomIn()">+</button>
      <button type="button" aria-label="farther" @click="zoomOut()">−</button>
      <button type="button" @click="whole()">all</button>
    </div>
  </div>
</template>

<style scoped>
.picture {
  position: relative;
  height: 100%;
}
.run {
  fill: none;
  stroke: var(--line);
  stroke-width: 1.2;
}
.run.points,
.run.ends,
.run.lies {
  stroke: var(--quiet);
  opacity: 0.45;
}
.run.lies {
  stroke-width: 2.4;
}
.run.feeds {
  stroke: var(--accent);
  stroke-dasharray: 4 3;
  opacity: 0.45;
}
.run.dim {
  opacity: 0.12;
}
.run.lit {
  stroke: var(--accent);
  stroke-width: 2;
  opacity: 1;
}
.direct {
  position: absolute;
  overflow: visible;
  width: 1px;
  height: 1px;
  pointer-events: none;
}
.picture :deep(.vue-flow__nodes) {
  z-index: 1; /* lines run under what they pass */
}
.direct .run {
  stroke-width: 1.4;
  stroke-dasharray: none;
  opacity: 0.7;
}
.far :deep(.member) {
  visibility: hidden;
}
.far :deep(.thing) {
  overflow: visible;
}
.far :deep(.head) {
  font-size: 22px;
}
.far :deep(.head small) {
  display: none;
}
.zoom {
  position: absolute;
  left: 8px;
  bottom: 8px;
  z-index: 5;
  display: flex;
  gap: 4px;
}
.zoom button {
  min-width: 30px;
  height: 28px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--surface);
  color: var(--text);
  font: inherit;
  cursor: pointer;
}
</style>
