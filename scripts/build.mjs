import { dirname } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ensureBuild } from './lib/build.mjs'
import { ensurePackages } from './lib/packages.mjs'
import { run, step } from './lib/steps.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))

await run(async () => {
  await step('Packages', () => ensurePackages(root))
  await step('Build', () => ensureBuild(root))
})
