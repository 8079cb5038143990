// ESLint: TypeScript and Vue rules, the import-direction rule, and no host interfaces inside core.
import tseslint from 'typescript-eslint'
import vue from 'eslint-plugin-vue'
import prettier from 'eslint-config-prettier'
import globals from 'globals'
import arrows from './eslint-rules/arrows.mjs'

const hostNames = [...new Set([...Object.keys(globals.browser), ...Object.keys(globals.node)])]
const shared = new Set(['TextDecoder', 'TextEncoder', 'name', 'length', 'event', 'parent', 'top', 'self'])

const COMPONENTS = ['src/app/**/*.{ts,vue}']

export default tseslint.config(
  { ignores: ['build', 'dist', 'node_modules', 'test-results', 'playwright-report'] },
  ...tseslint.configs.recommended,
  // Components are where rules for them look for them.
  ...vue.configs['flat/recommended'].map((c) => ({ files: COMPONENTS, ...c })),
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: tseslint.parser } } },
  {
    plugins: { unwarp: { rules: { arrows } } },
    rules: {
      'unwarp/arrows': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
    },
  },
  {
    files: COMPONENTS,
    rules: {
      'vue/multi-word-component-names': 'off',
      'vue/no-v-html': 'error',
      // Controls are Element Plus components.
      'vue/no-restricted-html-elements': [
        'error',
        ...['button', 'input', 'select', 'textarea', 'table', 'progress', 'dialog', 'fieldset'].map(
          (element) => ({
            element,
            message: `Use the Element Plus component instead of a native ${element}.`,
          }),
        ),
      ],
      'vue/no-restricted-static-attribute': [
        'error',
        {
          key: 'title',
          element: '/^(?!panel$|desk-frame$|el-)/i',
          message: 'Use a Hint: a title reaches neither touch nor keyboard.',
        },
      ],
    },
  },
  {
    files: ['src/core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        ...hostNames.filter((n) => !shared.has(n) && !(n in globals.es2021)),
      ],
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              group: ['node:*', 'vue', 'vue-*', 'pinia', 'konva', 'idb', 'express'],
              message: 'core has no host or interface code',
            },
          ],
        },
      ],
    },
  },
  prettier,
)
