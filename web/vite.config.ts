import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  server: { proxy: { '/api': `http://127.0.0.1:${process.env.EKTOPOS_PORT ?? 8437}` } },
  build: {
    chunkSizeWarningLimit: 2000,
    // One style sheet, with the page: a screen's own would be asked for once only, so that a screen fetched again after a
    // failure would stand there without it.
    cssCodeSplit: false,
  },
})
