import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { command } from './commands.mjs'

/** Installs what package-lock.json says, unless exactly that is installed already. */
export async function ensurePackages(root) {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  const mark = join(root, 'node_modules/.elm-lock')
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return 'already there'
  // Not `npm ci`: it refuses lock files whose optional packages of other platforms npm itself has left out.
  await command('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    fix: 'Look at the message above; the npm registry has to be reachable for the first start.',
  })
  writeFileSync(mark, lock)
}
