<script setup lang="ts">
import { count } from '../format'

defineProps<{ title: string; amounts: { name: string; many: number }[]; kept?: boolean; link?: boolean }>()
</script>

<template>
  <section class="panel">
    <h2>{{ title }}</h2>
    <p v-if="amounts.length === 0" class="quiet">The design has none.</p>
    <table v-else class="plain">
      <tbody>
        <tr v-for="a in amounts" :key="a.name">
          <td>
            <RouterLink v-if="link" :to="`/documents/${a.name}`">{{ a.name }}</RouterLink><template v-else>{{
              a.name
            }}</template>
          </td>
          <td class="number">
            <span :class="{ kept }">{{ count(a.many) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
