<script setup lang="ts">
import { onMounted } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from '../composables/session'

const route = useRoute()
const router = useRouter()
const { signIn } = useSession()

onMounted(async () => {
  await signIn(route.hash.slice(1)) // whether it worked or not, the code is of no more use
  await router.replace('/')
})
</script>

<template>
  <p class="quiet">Signing in …</p>
</template>
