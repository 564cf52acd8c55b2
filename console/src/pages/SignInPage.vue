<script setup lang="ts">
import PanelBox from '../components/kit/PanelBox.vue'
import { ref } from 'vue'
import { useSession } from '../composables/session'

const { signIn, trouble } = useSession()
const text = ref('')
const busy = ref(false)

async function send() {
  busy.value = true
  if (await signIn(text.value.trim())) text.value = ''
  busy.value = false
}
</script>

<template>
  <PanelBox data-part="sign-in">
    <h1>Sign in</h1>
    <p>
      Open the link that <code>yalvo up</code> has printed, or make a new one with <code>yalvo link</code>. It works
      once, and this browser stays signed in.
    </p>
    <form @submit.prevent="send">
      <label for="key">Or with a key</label>
      <div class="row">
        <el-input id="key" v-model="text" type="password" placeholder="yalvo-…" autocomplete="off" />
        <el-button type="primary" native-type="submit" :loading="busy" :disabled="!text.trim()">Sign in</el-button>
      </div>
    </form>
    <el-alert v-if="trouble" :title="trouble" type="warning" show-icon :closable="false" role="alert" />
  </PanelBox>
</template>

<style scoped>
.panel {
  max-width: 520px;
  margin: 8vh auto 0;
  padding: 24px;
}
label {
  display: block;
  margin: 16px 0 6px;
  color: var(--quiet);
}
.row {
  display: flex;
  gap: 8px;
}
code {
  white-space: nowrap;
}
.el-alert {
  margin-top: 16px;
}
</style>
