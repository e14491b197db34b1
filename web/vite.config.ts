import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  build: { outDir: '../serve/dist', emptyOutDir: true, chunkSizeWarningLimit: 1500 },
  // make dev: the page from here, its API from the server that it starts. The server takes
  // requests of its own origin alone.
  server: { host: '127.0.0.1', proxy: { '/api': { target: 'http://127.0.0.1:8080', changeOrigin: true, headers: { origin: 'http://127.0.0.1:8080' } } } },
})
