import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { referencePage } from './reference'

it('is the page that the documentation has', () => {
  expect(readFileSync('docs/rules-reference.md', 'utf8')).toBe(referencePage())
})
