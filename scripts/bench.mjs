import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { benchPages } from './lib/bench-pages.mjs'
import { command } from './lib/commands.mjs'
import { ensurePackages } from './lib/packages.mjs'
import { ensureDatabase, ensurePostgresInstalled, startPostgres } from './lib/postgres.mjs'
import { run, step } from './lib/steps.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const port = Number(process.env.ELM_BENCH_PORT ?? 4690)
const asked = process.argv.slice(2)
const parts =
  asked.length > 0
    ? asked
    : [
        'formats',
        'compare',
        'rules',
        'search',
        'register',
        'impact',
        'gateway',
        'bodies',
        'rollouts',
        'promotions',
        'resources',
        'drift',
        'traffic',
        'pages',
      ]

await run(async () => {
  await step('Packages', () => ensurePackages(root))
  await step('Build', async () => {
    const { bundle } = await import('./bundles.mjs')
    await bundle(root, { bench: 'bench/main.ts', 'bare-proxy': 'bench/bare-proxy.ts' })
  })
  await step('PostgreSQL', ensurePostgresInstalled)
  const postgres = await startPostgres({ folder: join(root, '.data/bench/postgres'), port })
  try {
    for (const part of parts.filter((name) => name !== 'pages')) {
      const url = await ensureDatabase(postgres.url, `elm_${part}`, { fresh: true })
      await command(
        process.execPath,
        ['--max-old-space-size=4096', '--expose-gc', join(root, 'dist/bench.mjs'), part],
        { show: true, env: { ...process.env, ELM_BENCH_DATABASE: url } },
      )
    }
  } finally {
    await postgres.stop()
  }
  if (parts.includes('pages')) await benchPages(root, port + 100)
})
