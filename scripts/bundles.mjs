import { build } from 'esbuild'

/** The processes beside the web app, each bundled into one file that leaves packages where they are installed. */
const entries = {
  gateway: 'gateway/main.ts',
  standins: 'standins/main.ts',
  worker: 'server/jobs/worker.ts',
  'analysis-thread': 'server/jobs/analysis-thread.ts',
  migrate: 'server/migrate.ts',
  demo: 'demo/main.ts',
  cli: 'cli/main.ts',
  thread: 'cli/thread.ts',
}

export const bundle = (root, more = {}) =>
  build({
    absWorkingDir: root,
    entryPoints: { ...entries, ...more },
    outdir: 'dist',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    packages: 'external',
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    logLevel: 'warning',
    tsconfigRaw: {
      compilerOptions: { experimentalDecorators: true, useDefineForClassFields: false },
    },
  })
