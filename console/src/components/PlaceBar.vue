<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { placeOfRoute, places } from '../places'

const route = useRoute()
const here = computed(() => placeOfRoute(String(route.name ?? '')))
const isHere = (one: (typeof places)[number]) => here.value.place === one
</script>

<template>
  <nav class="places" aria-label="places">
    <RouterLink
      v-for="p in places"
      :key="p.name"
      :to="p.pages[0]!.path"
      :class="{ here: isHere(p) }"
      :aria-current="isHere(p) ? 'true' : undefined"
      >{{ p.name }}</RouterLink
    >
  </nav>
  <nav v-if="here.place && here.place.pages.length > 1" class="pages" :aria-label="`pages of ${here.place.name}`">
    <RouterLink
      v-for="p in here.place.pages"
      :key="p.route"
      :to="p.path"
      :class="{ here: here.page === p.route }"
      :aria-current="here.page === p.route ? 'page' : undefined"
      >{{ p.name }}</RouterLink
    >
  </nav>
</template>

<style scoped>
nav {
  display: flex;
  gap: 4px;
}
.places {
  flex: 1;
}
.pages {
  order: 9;
  flex-basis: 100%;
  margin: -4px 0 -6px -12px;
}
a {
  padding: 6px 12px;
  border-radius: 6px;
  color: var(--quiet);
  white-space: nowrap;
}
.pages a {
  padding: 3px 12px;
  font-size: 13px;
}
a:hover {
  text-decoration: none;
  color: var(--text);
}
.here {
  color: var(--text);
  background: var(--ground);
  font-weight: 550;
}
.pages .here {
  background: none;
  box-shadow: inset 0 -2px 0 var(--accent);
  border-radius: 0;
}
@media (max-width: 640px) {
  nav {
    flex-wrap: wrap;
    gap: 0;
  }
  .places {
    order: 3;
    flex-basis: 100%;
  }
  a {
    padding: 6px 8px;
  }
}
</style>
