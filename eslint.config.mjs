import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'
import vueParser from 'vue-eslint-parser'

export default ts.config(
  {
    ignores: [
      '.nuxt',
      '.output',
      '.data',
      'dist',
      'node_modules',
      'server/db/migrations',
      'test-results',
    ],
  },
  {
    files: ['**/*.ts'],
    ignores: ['app/**', 'nuxt.config.ts', 'server/api/**'],
    extends: [...ts.configs.strictTypeChecked, ...ts.configs.stylisticTypeChecked],
    languageOptions: { parserOptions: { project: './tsconfig.processes.json' } },
    rules: {
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/dot-notation': 'off',
      '@typescript-eslint/consistent-type-definitions': 'error',
      // Handlers return early with the answer they send.
      '@typescript-eslint/no-confusing-void-expression': 'off',
      // What comes from a text or a database is guarded even where its type promises more.
      '@typescript-eslint/no-unnecessary-condition': 'off',
      // Classes of the API describe plain objects; they have no methods to lose.
      '@typescript-eslint/no-misused-spread': 'off',
      '@typescript-eslint/no-unsafe-class-instance-assignment': 'off',
      '@typescript-eslint/use-unknown-in-catch-callback-variable': 'off',
      '@typescript-eslint/no-extraneous-class': 'off',
      '@typescript-eslint/no-dynamic-delete': 'off',
      // Taking a member out of an object is how the rest is copied.
      '@typescript-eslint/no-unused-vars': [
        'error',
        { ignoreRestSiblings: true, argsIgnorePattern: '^_' },
      ],
    },
  },
  { files: ['**/*.test.ts', 'tests/**'], rules: { '@typescript-eslint/require-await': 'off' } },
  {
    files: ['app/**/*.{ts,vue}', 'server/api/**/*.ts', 'nuxt.config.ts'],
    extends: [...ts.configs.strict, ...vue.configs['flat/recommended']],
    languageOptions: {
      parser: vueParser,
      parserOptions: { parser: ts.parser, extraFileExtensions: ['.vue'] },
    },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { ignoreRestSiblings: true }],
      'vue/multi-word-component-names': 'off',
      'vue/no-v-html': 'error',
      'vue/require-default-prop': 'off',
      '@typescript-eslint/no-dynamic-delete': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
  {
    files: ['scripts/**/*.mjs', '*.{mjs,cjs}'],
    extends: [...ts.configs.recommended],
    rules: { '@typescript-eslint/no-require-imports': 'off' },
  },
  prettier,
)
