import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue()],
  build: { outDir: '../src/honest_stave/web_dist', emptyOutDir: true, target: 'es2022' },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8470', changeOrigin: true } } },
  test: { include: ['src/**/*.test.ts'] },
})
