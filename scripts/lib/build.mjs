import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { command } from './commands.mjs'

const sources = [
  'app',
  'core',
  'server',
  'shared',
  'gateway',
  'standins',
  'demo',
  'cli',
  'public',
  'scripts/bundles.mjs',
  'nuxt.config.ts',
  'package-lock.json',
  'tsconfig.json',
]
const isTest = (name) => name.endsWith('.test.ts')

function* filesBelow(path) {
  const entries = readdirSync(path, { withFileTypes: true }).sort((a, b) =>
    a.name < b.name ? -1 : 1,
  )
  for (const entry of entries) {
    const below = join(path, entry.name)
    if (entry.isDirectory()) yield* filesBelow(below)
    else if (!isTest(entry.name)) yield below
  }
}

function digestOf(root) {
  const hash = createHash('sha256')
  for (const source of sources) {
    const path = join(root, source)
    if (!existsSync(path)) continue
    const files = source.includes('.') ? [path] : filesBelow(path)
    for (const file of files) hash.update(file.slice(root.length)).update(readFileSync(file))
  }
  return hash.digest('hex')
}

/** Builds the web app and the processes beside it, unless the sources are what was built last. */
export async function ensureBuild(root) {
  const mark = join(root, '.output/.elm-sources')
  const digest = digestOf(root)
  if (existsSync(mark) && readFileSync(mark, 'utf8') === digest) return 'nothing has changed'
  const { bundle } = await import('../bundles.mjs')
  await bundle(root)
  await command(process.execPath, [join(root, 'node_modules/nuxt/bin/nuxt.mjs'), 'build'], {
    cwd: root,
    env: { ...process.env, NUXT_TELEMETRY_DISABLED: '1' },
    fix: 'Read the message above; it names the file and the line.',
  })
  writeFileSync(mark, digest)
}
