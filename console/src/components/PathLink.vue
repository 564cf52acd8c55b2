<script setup lang="ts">
defineProps<{ path: string }>()
</script>

<template>
  <RouterLink class="mono path" :to="`/documents/${path}`">{{ path }}</RouterLink>
</template>

<style scoped>
.path { overflow-wrap: anywhere; }
</style>
