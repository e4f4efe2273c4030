import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['dist', 'public', 'eslint.config.js', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  ts.configs.recommendedTypeChecked,
  hooks.configs.flat.recommended,
  { languageOptions: { globals: globals.browser, parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
)
