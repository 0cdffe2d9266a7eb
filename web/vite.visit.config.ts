import { fileURLToPath, URL } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

/**
 * What visitors load, apart from the workbench: the sheet (a small page of its own, shown in a frame or behind a link), and the loader that
 * sites carry, which is built by itself as a plain script.
 */
const loader = process.env.VISIT === 'loader'
const source = (name: string): string => fileURLToPath(new URL(`./src/visit/${name}`, import.meta.url))

export default defineConfig({
  plugins: loader ? [] : [vue()],
  publicDir: false,
  define: { __VUE_OPTIONS_API__: 'false', __VUE_PROD_DEVTOOLS__: 'false' },
  build: {
    target: 'es2020',
    outDir: 'dist/visit',
    emptyOutDir: false,
    rollupOptions: {
      input: loader ? { w: source('loader.ts') } : { sheet: source('sheet.ts') },
      output: { format: loader ? 'iife' : 'es', entryFileNames: '[name].js', assetFileNames: '[name][extname]' },
    },
  },
})
