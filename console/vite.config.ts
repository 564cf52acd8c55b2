import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  build: { outDir: 'dist/app', emptyOutDir: true, chunkSizeWarningLimit: 1500 },
  server: { proxy: { '/v1': 'http://127.0.0.1:7480' } },
})
