import tailwindcss from '@tailwindcss/vite'
import { lingui } from '@lingui/vite-plugin'
import babel from '@rolldown/plugin-babel'
import react from '@vitejs/plugin-react'
import { defineConfig, type Plugin } from 'vite'

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

/** Gives each file the words that it says, out of words/en.po: no page loads those of another. A text
 * that is always the same is written where it is said. */
function words(): Plugin {
  const file = new URL('words/en.po', import.meta.url).pathname
  let all: Promise<Record<string, unknown[]>> | undefined
  return {
    name: 'words',
    async transform(code, id) {
      if (!/\/src\/.*\.tsx?$/.test(id) || (!code.includes('#words') && !code.includes('@lingui/react'))) return
      all ??= this.load({ id: file }).then(
        (m) => JSON.parse(JSON.parse(/JSON\.parse\(("(?:[^"\\]|\\.)*")\)/.exec(m.code!)![1]!) as string) as Record<string, unknown[]>,
      )
      const messages = await all
      const said = new Set<string>()
      code = code.replace(
        /(?:\/\* @__PURE__ \*\/ )?\b(?:_i18n\._\(|_jsx\(_Trans, )\{\s*id: "([^"]+)"(\s*\}\))?/g,
        (was, key: string, whole?: string) => {
          const message = messages[key]
          if (!message) return this.error(`${id} says what is not in words/en.po: run npm run words`)
          if (whole && message.length === 1 && typeof message[0] === 'string') return JSON.stringify(message[0])
          said.add(key)
          return was
        },
      )
      const own = Object.fromEntries([...said].map((key) => [key, messages[key]]))
      const load = said.size > 0 ? `import { i18n as $words } from '#words'\n$words.load('en', ${JSON.stringify(own)})\n` : ''
      return { code: load + code, map: null }
    },
  }
}

export default defineConfig({
  plugins: [
    babel({ include: /src\/.*\.tsx?$/, plugins: ['@lingui/babel-plugin-lingui-macro'] }),
    words(),
    react(),
    lingui({ failOnCompileError: true }),
    tailwindcss(),
    pages(),
  ],
  build: { target: 'es2022', assetsInlineLimit: 0, emptyOutDir: true, rolldownOptions: { checks: { pluginTimings: false } } },
  server: { proxy: { '/api': 'http://127.0.0.1:7420' } },
})
