<script setup lang="ts">
import { Handle, Position } from '@vue-flow/core'
import type { DesignThing } from '../api/client'

/** A thing of a design in the picture: a head, and a row for each member. */
const props = defineProps<{ thing: DesignThing; lit: Set<string>; chosen: string }>()
const emit = defineEmits<{ choose: [id: string] }>()

const word = (t: DesignThing) => (t.accounts ? 'accounts' : t.kind)
const classes = (id: string) => ({
  chosen: id === props.chosen,
  lit: props.lit.has(id),
  dim: props.chosen !== '' && id !== props.chosen && !props.lit.has(id),
})
</script>

<template>
  <div class="thing" :class="[thing.kind, classes(thing.id)]">
    <Handle type="target" :position="Position.Left" :connectable="false" />
    <button type="button" class="head" :data-at="thing.id" @click="emit('choose', thing.id)">
      <span>{{ thing.name }}</span><small>{{ word(thing) }}</small>
    </button>
    <button
      v-for="m in thing.members"
      :key="m.id"
      type="button"
      class="member"
      :class="[classes(m.id), { derived: m.kept }]"
      :data-at="m.id"
      @click="emit('choose', m.id)"
    >
      <span>{{ m.name }}</span><small>{{ m.type }}</small>
    </button>
    <Handle type="source" :position="Position.Right" :connectable="false" />
  </div>
</template>

<style scoped>
.thing {
  height: 100%;
  box-sizing: border-box;
  background: var(--surface);
  outline: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
}
button {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 10px;
  width: 100%;
  height: 18px;
  padding: 0 8px;
  border: 0;
  background: none;
  color: var(--text);
  font: inherit;
  font-size: 12px;
  line-height: 18px;
  text-align: left;
  white-space: nowrap;
  cursor: pointer;
}
.head {
  height: 26px;
  line-height: 26px;
  font-size: 13px;
  font-weight: 600;
}
small {
  color: var(--quiet);
  font-size: 10.5px;
  font-weight: 400;
}
.derived {
  background: var(--accent-soft);
  box-shadow: inset 3px 0 0 var(--accent);
}
button:focus-visible {
  outline-offset: -2px;
}
button:hover {
  text-decoration: underline;
}
.dim > .head,
.member.dim {
  color: var(--quiet);
  font-weight: 400;
}
.thing.dim:has(.lit),
.thing.lit,
.thing.chosen {
  outline: 1.5px solid var(--accent);
}
.thing.dim:has(.lit) > .head,
.thing:has(.member.chosen) > .head {
  color: var(--text);
  font-weight: 600;
}
.member.lit {
  font-weight: 600;
}
.chosen.member,
.chosen > .head {
  background: var(--accent);
  color: var(--surface);
}
.chosen.member small,
.chosen > .head small {
  color: inherit;
}
:deep(.vue-flow__handle) {
  opacity: 0;
  pointer-events: none;
}
</style>
