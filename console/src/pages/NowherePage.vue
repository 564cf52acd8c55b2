<script setup lang="ts">
import PanelBox from '../components/kit/PanelBox.vue'
</script>

<template>
  <PanelBox>
    <h1>There is no such page</h1>
    <p class="quiet">Go to <RouterLink to="/">the start</RouterLink>.</p>
  </PanelBox>
</template>
