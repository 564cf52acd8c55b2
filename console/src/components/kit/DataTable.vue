<!-- A table: numbers stand to the right, texts are quiet in the head, lines between rows. Rows are its slot. -->
<script setup lang="ts">
/** Columns by their names, some with a class: `number` for numbers. */
defineProps<{ columns?: (string | [name: string, as: string])[] }>()
</script>

<template>
  <table class="plain">
    <thead v-if="columns || $slots.head">
      <tr>
        <slot name="head">
          <th v-for="(c, i) in columns" :key="i" :class="typeof c === 'string' ? undefined : c[1]">
            {{ typeof c === 'string' ? c : c[0] }}
          </th>
        </slot>
      </tr>
    </thead>
    <tbody>
      <slot />
    </tbody>
  </table>
</template>
