import { defineConfig } from 'vitest/config'

export default defineConfig({
  oxc: { decorator: { legacy: true } },
  test: {
    include: ['{core,server,shared,gateway,standins,demo,cli,tests/routes}/**/*.test.ts'],
    testTimeout: 20_000,
    hookTimeout: 60_000,
  },
})
