import { expect, it } from 'vitest'
import { excerptAt } from './excerpt'

it('shows the lines around a place, and marks its own', () => {
  const lines = ['a: 1', 'b: [', 'c: 2', 'd: 3', 'e: 4', 'f: 5']
  expect(excerptAt(lines, 2, 4)).toBe('  1 a: 1\n› 2 b: [\n  3 c: 2\n  4 d: 3')
  expect(excerptAt(lines, 6, 1)).toBe('  4 d: 3\n  5 e: 4\n› 6 f: 5')
})

it('cuts what is long around the place', () => {
  const long = `${'x'.repeat(5000)}HERE${'y'.repeat(5000)}`
  const shown = excerptAt([long], 1, 5001)
  expect(shown.length).toBeLessThan(180)
  expect(shown).toContain('HERE')
  expect(excerptAt([''], 1, 1)).toBe('› 1')
})
