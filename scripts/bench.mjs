import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { command } from './lib/commands.mjs'
import { ensurePackages } from './lib/packages.mjs'
import { run, step } from './lib/steps.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))

await run(async () => {
  await step('Packages', () => ensurePackages(root))
  await step('Build', async () => {
    const { bundle } = await import('./bundles.mjs')
    await bundle(root, { bench: 'bench/main.ts', 'bare-proxy': 'bench/bare-proxy.ts' })
  })
  await command(process.execPath, ['--max-old-space-size=4096', join(root, 'dist/bench.mjs')], {
    show: true,
  })
})
