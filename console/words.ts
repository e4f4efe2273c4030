import { createCompiledCatalog, getCatalogs } from '@lingui/cli/api'
import { getConfig } from '@lingui/conf'
import type { Plugin } from 'vite'

type Messages = Record<string, unknown[]>

/** What the console says, by the ids that the macros gave, out of words/en.po. */
async function read(): Promise<Messages> {
  const config = getConfig()
  const [catalog] = await getCatalogs(config)
  const { messages } = await catalog!.getTranslations('en', { fallbackLocales: {}, sourceLocale: 'en' })
  const { source, errors } = createCompiledCatalog('en', messages, { namespace: 'json' })
  if (errors.length > 0) throw new Error(`words/en.po: ${errors.map((e) => `${e.id}: ${e.error.message}`).join('; ')}`)
  return (JSON.parse(source) as { messages: Messages }).messages
}

const said = /(?:\/\* @__PURE__ \*\/ )?\b(?:_i18n\._\(|_jsx\(_Trans, )\{\s*id: "([^"]+)"(\s*\}\))?/g

/** Gives each file the words that it says: no page loads those of another. A text that is always the
 * same is written where it is said. It stands after the macros. */
export function words(): Plugin {
  let all: Promise<Messages> | undefined
  return {
    name: 'words',
    apply: 'build',
    async transform(code, id) {
      if (!/\/src\/.*\.tsx?$/.test(id) || code.search(said) < 0) return
      const messages = await (all ??= read())
      const own: Messages = {}
      const out = code.replace(said, (was, key: string, whole?: string) => {
        const message = messages[key]
        if (!message) return this.error(`${id} says what is not in words/en.po: run npm run words`)
        if (whole && message.length === 1 && typeof message[0] === 'string') return JSON.stringify(message[0])
        own[key] = message
        return was
      })
      const load = Object.keys(own).length > 0 ? `import { i18n as $words } from '#words'\n$words.load('en', ${JSON.stringify(own)})\n` : ''
      return { code: load + out, map: null }
    },
  }
}
