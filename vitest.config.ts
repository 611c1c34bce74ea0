import { availableParallelism } from 'node:os'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  resolve: { alias: { '~~': import.meta.dirname, '~': `${import.meta.dirname}/app` } },
  oxc: { decorator: { legacy: true } },
  test: {
    include: ['{app,core,server,shared,gateway,standins,demo,cli,tests/routes}/**/*.test.ts'],
    // Left to itself it leaves a core free, which on two is half the machine.
    maxWorkers: availableParallelism(),
    setupFiles: ['tests/support/property.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    expect: { poll: { timeout: 15_000 } },
  },
})
