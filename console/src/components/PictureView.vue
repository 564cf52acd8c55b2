<script setup lang="ts">
// A picture that the service keeps, small; pressed, it opens as large as it is.
defineProps<{ picture: string; size: 'thumbnail' | 'medium'; round?: boolean }>()
</script>

<template>
  <a :href="`/v1/${picture}`" target="_blank" class="picture" :class="{ round }">
    <img :src="`/v1/${picture}/${size}`" alt="" loading="lazy" />
  </a>
</template>

<style scoped>
.picture {
  display: block;
  flex: none;
}
img {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: cover;
  border-radius: 6px;
  background: var(--line);
}
.round img {
  border-radius: 50%;
}
</style>
