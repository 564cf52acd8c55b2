<script setup lang="ts">
import { watch } from 'vue'
import { useRouter } from 'vue-router'
import PlaceBar from './components/PlaceBar.vue'
import SettledBadge from './components/SettledBadge.vue'
import { outlineSoFar, renewOutline } from './composables/outline'
import { useSession } from './composables/session'
import SignInPage from './pages/SignInPage.vue'

const { outline, missing } = outlineSoFar()
const { key, known, look, signOut } = useSession()

watch(key, (is) => is && void renewOutline())
const router = useRouter()
void router.isReady().then(() => {
  if (router.currentRoute.value.name !== 'enter') void look() // else that page signs in
})
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="brand"><img src="/mark.svg" alt="" width="24" height="24" /> Yalvo</RouterLink>
    <span v-if="key && outline" class="app quiet">{{ outline.app }}</span>
    <PlaceBar v-if="key" />
    <template v-if="key">
      <SettledBadge />
      <el-button
        link
        data-act="sign-out"
        :title="`signed in with the key ${key.name}, which may ${key.scope}`"
        @click="signOut"
        >Sign out</el-button
      >
    </template>
  </header>
  <main :class="{ wide: $route.meta.wide }">
    <RouterView v-if="$route.name === 'enter'" />
    <SignInPage v-else-if="known && !key" />
    <template v-else-if="!key"></template>
    <el-alert v-else-if="missing" :title="missing" type="warning" show-icon :closable="false" />
    <RouterView v-else-if="outline" />
  </main>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 20px;
  flex-wrap: wrap;
  padding: 10px 24px;
  background: var(--surface);
  border-bottom: 1px solid var(--line);
}
.brand {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 650;
  font-size: 16px;
  color: var(--text);
}
.brand:hover {
  text-decoration: none;
}
.app {
  padding-left: 12px;
  border-left: 1px solid var(--line);
}
main {
  max-width: 1240px;
  margin: 0 auto;
  padding: 20px 24px 48px;
}
main.wide {
  max-width: none;
  padding: 12px 24px;
}
@media (max-width: 640px) {
  .bar {
    padding: 10px 12px;
    gap: 8px 12px;
  }
  main {
    padding: 12px;
  }
}
</style>
