import { execFile } from 'node:child_process'
import { mkdirSync, readdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { build } from 'esbuild'

const run = promisify(execFile)

/** The processes beside the web app, each bundled into one file that leaves packages where they are installed. */
const entries = {
  gateway: 'gateway/main.ts',
  'inspecting-thread': 'gateway/inspecting-thread.ts',
  standins: 'standins/main.ts',
  worker: 'server/jobs/worker.ts',
  'analysis-thread': 'server/jobs/analysis-thread.ts',
  migrate: 'server/migrate.ts',
  demo: 'demo/main.ts',
  prepare: 'cli/prepare.ts',
}

/** The command line and its threads, with their packages in them: it begins in the time of two empty processes. */
const commandLine = { cli: 'cli/main.ts', thread: 'cli/thread.ts' }

const shared = {
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
  tsconfigRaw: {
    compilerOptions: { experimentalDecorators: true, useDefineForClassFields: false },
  },
}

export async function bundle(root, more = {}) {
  // Shared pieces of the command line are called by what is in them: those of before would stay.
  mkdirSync(join(root, 'dist'), { recursive: true })
  for (const name of readdirSync(join(root, 'dist')))
    if (/^cli-\w+\.mjs$/.test(name)) rmSync(join(root, 'dist', name))
  await Promise.all([
    build({
      ...shared,
      absWorkingDir: root,
      entryPoints: { ...entries, ...more },
      packages: 'external',
      sourcemap: true,
    }),
    build({
      ...shared,
      absWorkingDir: root,
      entryPoints: commandLine,
      // Threads come with more than a few files only.
      external: ['piscina'],
      mainFields: ['module', 'main'],
      splitting: true,
      chunkNames: 'cli-[hash]',
      minify: true,
      banner: {
        js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
      },
    }),
  ])
  await run(process.execPath, [join(root, 'dist/prepare.mjs')])
}
