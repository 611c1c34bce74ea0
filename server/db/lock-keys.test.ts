import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, it } from 'vitest'
import { lockKeys } from './lock-keys'

const sources = ['server', 'demo'].flatMap((folder) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts') && !name.includes('lock-keys'))
    .map((name) => join(folder, name)),
)

it('are each for one thing, and stand nowhere else', () => {
  const numbers = Object.values(lockKeys)
  expect(new Set(numbers).size).toBe(numbers.length)
  const written = sources.filter((file) => /7_?120_?4\d\d/.test(readFileSync(file, 'utf8')))
  expect(written).toEqual([])
})
