import hooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['src/api/schema.gen.ts'] },
  ...ts.configs.recommendedTypeChecked,
  { languageOptions: { parserOptions: { project: './tsconfig.json', tsconfigRootDir: import.meta.dirname } } },
  { rules: { '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }] } }, // a handler may be async
  { plugins: { 'react-hooks': hooks }, rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' } },
)
