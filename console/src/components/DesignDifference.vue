<script setup lang="ts">
import StateLine from './kit/StateLine.vue'
import DataTable from './kit/DataTable.vue'
import { computed } from 'vue'
import type { Difference } from '../api/client'
import { count, duration } from '../format'

const props = defineProps<{ difference: Difference }>()

type Change = Difference['changes'][number]
type Effect = Change['effects'][number]

const says: Record<Effect['does'], string> = {
  fill: 'get the default',
  carry: 'values under the new name',
  convert: 'values to convert',
  check: 'to look at',
  rebuild: 'derived anew',
  index: 'in a new index',
  redeliver: 'authors to look at',
  retract: 'taken out; it can be derived again',
  drop: 'lost',
}

/** What an effect is about: documents, or what the change is about itself. */
function noun(change: Change, effect: Effect) {
  if (['carry', 'convert', 'redeliver'].includes(effect.does)) return ''
  if (change.kind === 'field' && effect.does === 'drop') return 'values'
  if (change.kind === 'timeline') return 'entries'
  return change.kind === 'pair' ? 'pairs' : 'documents'
}
const words = (change: Change, effect: Effect) =>
  effect.does === 'retract'
    ? says.retract
    : [count(effect.many), noun(change, effect), says[effect.does]].filter(Boolean).join(' ')

const unfit = computed(() =>
  props.difference.changes.flatMap((c) =>
    c.effects.flatMap((e) => (e.examples ?? []).map((x) => ({ field: c.name, ...x }))),
  ),
)
const hidden = computed(() => [
  ...new Set(props.difference.steps.filter((s) => s.shows === 'hidden').map((s) => s.name)),
])
const collected = computed(() => props.difference.steps.filter((s) => s.shows === 'collected').map((s) => s.name))
</script>

<template>
  <StateLine v-if="difference.changes.length === 0">Nothing differs from version {{ difference.base }}.</StateLine>
  <template v-else>
    <DataTable :columns="['what', 'name', 'change', 'what it does to what is stored']">
      <tr v-for="c in difference.changes" :key="c.kind + c.name + c.how">
        <td class="quiet nowrap">{{ c.kind }}</td>
        <td class="mono">{{ c.name }}</td>
        <td>
          <strong>{{ c.how }}</strong><template v-if="c.was">
            from <span class="mono">{{ c.was }}</span></template
          ><template v-if="c.what?.length">: {{ c.what.join(', ') }}</template>
        </td>
        <td>
          <div v-for="e in c.effects" :key="e.does" :class="{ warn: e.does === 'drop' && e.many > 0 }">
            {{ words(c, e) }}<span v-if="e.unfit" class="warn">, of which {{ count(e.unfit) }} do not fit</span>
          </div>
          <span v-if="c.effects.length === 0" class="quiet">nothing</span>
        </td>
      </tr>
    </DataTable>
    <template v-if="unfit.length">
      <h3>These would not fit, among others</h3>
      <p class="quiet">They stay as they are, can be read, and are listed until they fit.</p>
      <DataTable>
        <tr v-for="x in unfit" :key="x.field + x.path">
          <td class="mono">{{ x.field }}</td>
          <td class="mono">{{ x.path }}</td>
          <td>{{ x.detail }}</td>
        </tr>
      </DataTable>
    </template>
    <p v-if="difference.seconds > 0" class="quiet">
      About {{ duration(difference.seconds * 1000) }} of work in the background, at the rates just measured. The app
      goes on meanwhile<template v-if="hidden.length">, without {{ hidden.join(', ') }}</template
      ><template v-if="collected.length">, with {{ collected.join(', ') }} collected when it is read</template>.
    </p>
  </template>
</template>

<style scoped>
h3 {
  font-size: 14px;
  font-weight: 600;
  margin: 16px 0 0;
}
p {
  margin: 8px 0;
}
.warn {
  color: var(--warn);
  font-weight: 600;
}
.nowrap {
  white-space: nowrap;
}
</style>
