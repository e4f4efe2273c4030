import { i18n } from '@lingui/core'
import { messages } from '../../words/en.po'

// What the console says stands in words/en.po, and is there before the first page is.
i18n.loadAndActivate({ locale: 'en', messages })

export { i18n }
