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
      // modules of their own: one is held against what other clients make of the same events, one against the demo's file
      input: { index: 'index.html', happenings: 'src/api/happenings.ts', edits: 'src/editor/edits.ts' },
      preserveEntrySignatures: 'allow-extension',
      output: {
        entryFileNames: ({ name }) => (name === 'index' ? 'assets/[name]-[hash].js' : 'assets/[name].js'),
      },
    },
  },
  server: { proxy: { '/v1': 'http://127.0.0.1:7480' } },
})
