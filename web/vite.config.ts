import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

// The server hands out what is built under /static/. While developing, `npm run dev` asks a running server.
const server = 'http://127.0.0.1:8200'

export default defineConfig(({ command }) => ({
  plugins: [vue()],
  // Relative: the page says where the server's files are, which may be below a path of its name.
  base: command === 'build' ? './' : '/',
  build: { outDir: 'dist', chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: server, ws: true } } },
  test: { include: ['src/**/*.test.ts'], isolate: false, setupFiles: ['src/testing/own-modules.ts'] },
}))
