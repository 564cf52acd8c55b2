import vue from '@vitejs/plugin-vue'
import Components from 'unplugin-vue-components/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'
import { defineConfig } from 'vite'

export default defineConfig({
  // of the component kit only what the pages use
  plugins: [vue(), Components({ dts: false, dirs: [], resolvers: [ElementPlusResolver()] })],
  build: {
    outDir: 'dist/app',
    emptyOutDir: true,
    rollupOptions: {
      // a module of its own that is held against what other clients make of the same events
      input: { index: 'index.html', happenings: 'src/api/happenings.ts' },
      preserveEntrySignatures: 'allow-extension',
      output: {
        entryFileNames: ({ name }) => (name === 'happenings' ? 'assets/[name].js' : 'assets/[name]-[hash].js'),
      },
    },
  },
  server: { proxy: { '/v1': 'http://127.0.0.1:7480' } },
})
