import { availableParallelism } from 'node:os'
import { defineConfig } from 'vitest/config'

/** Tests that change what their process shares: globals of a browser, figures of the whole process. */
const alone = ['app/**/*.test.ts', 'tests/routes/watching.test.ts']

export default defineConfig({
  resolve: { alias: { '~~': import.meta.dirname, '~': `${import.meta.dirname}/app` } },
  oxc: { decorator: { legacy: true } },
  test: {
    // Left to itself it leaves a core free, which on two is half the machine.
    maxWorkers: availableParallelism(),
    setupFiles: ['tests/support/property.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    expect: { poll: { timeout: 15_000 } },
    projects: [
      {
        extends: true,
        test: {
          name: 'together',
          include: ['{core,server,shared,gateway,standins,demo,cli,tests/routes}/**/*.test.ts'],
          exclude: alone,
          // A process reads the product once, not once for each file.
          isolate: false,
        },
      },
      { extends: true, test: { name: 'alone', include: alone } },
    ],
  },
})
