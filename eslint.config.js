import js from '@eslint/js';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['dist/', 'node_modules/', 'coverage/'] },
  js.configs.recommended,
  {
    files: ['**/*.ts'],
    extends: [...tseslint.configs.strictTypeChecked],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      // `_` stands for what is left out on purpose.
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_$', varsIgnorePattern: '^_$' }],
      '@typescript-eslint/restrict-template-expressions': [
        'error',
        { allowNumber: true, allowBoolean: true },
      ],
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-confusing-void-expression': 'off',
      '@typescript-eslint/require-await': 'off',
      'no-control-regex': 'off',
    },
  },
  { files: ['src/**/*.ts'], rules: { 'max-params': ['error', 4], 'no-duplicate-imports': 'error' } },
  {
    files: ['src/core/**/*.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        ...[
          'process',
          'console',
          'setTimeout',
          'setInterval',
          'setImmediate',
          'fetch',
          'Buffer',
          'crypto',
          'performance',
        ].map((name) => ({ name, message: 'The core speaks to the world through its ports only.' })),
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'Time comes from the clock port.' },
        { object: 'Math', property: 'random', message: 'Chance comes from the chance port.' },
      ],
    },
  },
  {
    files: ['**/*.{js,mjs,cjs}'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        require: 'readonly',
        module: 'readonly',
        __dirname: 'readonly',
        Buffer: 'readonly',
        WebAssembly: 'readonly',
        URL: 'readonly',
        setTimeout: 'readonly',
      },
    },
  },
);
