import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['dist', 'public', 'eslint.config.js', 'lingui.config.js', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  ts.configs.recommendedTypeChecked,
  hooks.configs.flat.recommended,
  // What people read stands in words/en.po, from which it comes: by <Trans>, t and plural.
  {
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: 'JSXText[value=/\\p{L}/u]:not(JSXElement[openingElement.name.name="Trans"] JSXText)',
          message: 'Put what people read into <Trans>.',
        },
        {
          selector: 'JSXAttribute[name.name=/^(label|title|aria-label|placeholder|what|hint)$/] > Literal[value=/\\p{L}/u]',
          message: 'Put what people read into t`…`.',
        },
        {
          selector:
            'JSXAttribute[name.name=/^(id|key|list|htmlFor|className|aria-describedby|aria-controls)$/] TaggedTemplateExpression[tag.name="t"], CallExpression[callee.name=/^use(Draft|Typed|Edited|Commit)$/] > TaggedTemplateExpression.arguments[tag.name="t"]:first-child',
          message: 'Nobody reads this: it is a name, and no text.',
        },
      ],
    },
  },
  { languageOptions: { globals: globals.browser, parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
)
