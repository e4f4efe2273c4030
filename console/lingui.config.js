import { formatter } from '@lingui/format-po'

/** The console's words stand in one file, words/en.po: from it they come into what is built. */
export default {
  sourceLocale: 'en',
  locales: ['en'],
  catalogs: [{ path: '<rootDir>/words/{locale}', include: ['src'] }],
  format: formatter({ origins: true, lineNumbers: false, printPlaceholdersInComments: false }),
  orderBy: 'origin',
  compileNamespace: 'es',
  runtimeConfigModule: { i18n: ['#words', 'i18n'], Trans: ['@lingui/react', 'Trans'] },
}
