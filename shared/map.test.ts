import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { basename } from 'node:path'
import { expect, it } from 'vitest'

const folders = [
  'core',
  'shared',
  'app',
  'server',
  'gateway',
  'cli',
  'standins',
  'demo',
  'tests',
  'bench',
  'scripts',
]
const files = folders.flatMap((folder) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' }).map((name) => `${folder}/${name}`),
)

it('names files that are there', () => {
  const map = readFileSync('CONTRIBUTING.md', 'utf8')
  const named = [...map.matchAll(/`([\w./[\]-]+\.(?:ts|vue|mjs|cjs|css))`/g)].map(
    ([, path]) => path!,
  )
  expect(named.length).toBeGreaterThan(30)
  const missing = named.filter(
    (path) =>
      !existsSync(path) &&
      !files.some((file) => file.endsWith(`/${path}`) || basename(file) === path),
  )
  expect(missing).toEqual([])
})
