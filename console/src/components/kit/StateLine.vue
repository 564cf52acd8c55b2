<!-- What stands in the place of things that are not there: still loading, not to be had, or none. -->
<script setup lang="ts">
defineProps<{ loading?: boolean; trouble?: string }>()
</script>

<template>
  <p v-if="trouble" class="quiet" role="alert">{{ trouble }}</p>
  <p v-else-if="loading" class="quiet" role="status">Loading…</p>
  <p v-else class="quiet empty"><slot /></p>
</template>
