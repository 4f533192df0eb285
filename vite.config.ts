import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  root: 'web',
  plugins: [react()],
  build: { outDir: '../dist/web', emptyOutDir: true, target: 'es2023', chunkSizeWarningLimit: 700 },
  server: { proxy: { '/api': process.env.MATTOCK_URL ?? 'http://127.0.0.1:4600' } },
})
