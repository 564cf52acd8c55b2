<script setup lang="ts">
import { computed } from 'vue'
import { inline, isPicture, moment } from '../format'
import PathLink from './PathLink.vue'
import PictureView from './PictureView.vue'

const props = defineProps<{ value: unknown; to?: string; time?: boolean }>()

/** A list of objects: the newest few of something, embedded. */
const items = computed(() =>
  Array.isArray(props.value) && props.value.length > 0 && props.value.every((v) => v && typeof v === 'object')
    ? (props.value as Record<string, unknown>[])
    : undefined,
)
const parts = computed(() =>
  props.value && typeof props.value === 'object' && !Array.isArray(props.value)
    ? Object.entries(props.value as Record<string, unknown>)
    : undefined,
)
</script>

<template>
  <PathLink v-if="to && typeof value === 'string'" :path="`${to}/${value}`" />
  <PictureView v-else-if="isPicture(value)" :picture="value" size="thumbnail" class="thumbnail" />
  <ol v-else-if="items">
    <li v-for="(item, i) in items" :key="i">
      <PathLink v-if="typeof item.path === 'string'" :path="item.path" />
      <dl>
        <template v-for="(v, name) in item" :key="name"
          ><template v-if="name !== 'id' && name !== 'path'"
            ><dt>{{ name }}</dt>
            <dd>{{ inline(v) }}</dd></template
          ></template
        >
      </dl>
    </li>
  </ol>
  <dl v-else-if="parts">
    <template v-for="[name, v] in parts" :key="name"
      ><dt>{{ name }}</dt>
      <dd>
        <PictureView v-if="isPicture(v)" :picture="v" size="thumbnail" round class="small" /><template v-else>{{
          inline(v)
        }}</template>
      </dd></template
    >
  </dl>
  <time v-else-if="time && typeof value === 'string'" :datetime="value" :title="value">{{ moment(value) }}</time>
  <span v-else class="value">{{ inline(value) }}</span>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0 10px;
  margin: 0;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li + li {
  border-top: 1px solid var(--line);
  margin-top: 4px;
  padding-top: 4px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.thumbnail {
  width: 96px;
  height: 96px;
}
.small {
  width: 28px;
  height: 28px;
}
.value {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
