import { createApp } from 'vue'
import 'element-plus/theme-chalk/dark/css-vars.css'
import 'element-plus/es/components/message/style/css'
import 'element-plus/es/components/message-box/style/css'
import App from './App.vue'
import { router } from './router'
import './theme.css'

const dark = window.matchMedia('(prefers-color-scheme: dark)')
const follow = () => document.documentElement.classList.toggle('dark', dark.matches)
dark.addEventListener('change', follow)
follow()

createApp(App).use(router).mount('#app')
