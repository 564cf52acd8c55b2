<script setup lang="ts">
import { onMounted } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useOutline } from '../composables/outline'
import { useSession } from '../composables/session'

const route = useRoute()
const router = useRouter()
const { signIn } = useSession()

onMounted(async () => {
  await signIn(route.hash.slice(1)) // whether it worked or not, the code is of no more use
  const { ready, outline } = useOutline()
  await ready
  await router.replace(outline.value?.screens.length ? '/screens' : '/')
})
</script>

<template>
  <p class="quiet">Signing in …</p>
</template>
