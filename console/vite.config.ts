import tailwindcss from '@tailwindcss/vite'
import babel from '@rolldown/plugin-babel'
import react from '@vitejs/plugin-react'
import { defineConfig, type Plugin } from 'vite'
import { words } from './words.ts'

/** Tells the service which addresses are pages, by what the paths of the router begin with. */
function pages(): Plugin {
  const first = new Set<string>()
  return {
    name: 'pages',
    enforce: 'pre',
    transform(code, id) {
      if (id.endsWith('/src/router.tsx')) for (const m of code.matchAll(/\bpath: '\/([a-z-]*)/g)) first.add(m[1]!)
    },
    generateBundle() {
      this.emitFile({ type: 'asset', fileName: 'pages.json', source: JSON.stringify([...first].sort()) })
    },
  }
}

export default defineConfig({
  plugins: [babel({ include: /src\/.*\.tsx?$/, plugins: ['@lingui/babel-plugin-lingui-macro'] }), words(), react(), tailwindcss(), pages()],
  build: { target: 'es2022', assetsInlineLimit: 0, emptyOutDir: true, rolldownOptions: { checks: { pluginTimings: false } } },
  server: { proxy: { '/api': 'http://127.0.0.1:7420' } },
})
