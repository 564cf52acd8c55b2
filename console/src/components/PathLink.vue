<script setup lang="ts">
defineProps<{ path: string; label?: string }>()
</script>

<template>
  <RouterLink class="mono path" :to="`/documents/${path}`">{{ label ?? path }}</RouterLink>
</template>

<style scoped>
.path {
  overflow-wrap: anywhere;
}
</style>
