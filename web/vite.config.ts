import { fileURLToPath, URL } from 'node:url'
import vue from '@vitejs/plugin-vue'
import AutoImport from 'unplugin-auto-import/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'
import Components from 'unplugin-vue-components/vite'
import { defineConfig } from 'vitest/config'

const resolver = ElementPlusResolver({ importStyle: process.env.VITEST ? false : 'css' })

export default defineConfig({
  plugins: [
    vue(),
    AutoImport({ resolvers: [resolver], dts: false }),
    Components({ resolvers: [resolver], dirs: [], dts: false }),
  ],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  server: {
    proxy: { '/api': 'http://127.0.0.1:8642' },
    fs: { allow: ['.', '../docs'] }, // which a test reads
  },
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  test: {
    testTimeout: 30_000, // of a busy machine: what hangs is found out all the same
    environment: 'happy-dom',
    server: { deps: { inline: ['element-plus'] } },
  },
})
