import { expect, it } from 'vitest'
import { whyNoLine } from './line'

it('takes names that people read, and says why it does not take others', () => {
  for (const name of ['Meter Readings', '4.0.0-rc.1', 'Zählerstände', '水位', 'a'.repeat(200)])
    expect(whyNoLine(name, 200)).toBeUndefined()
  expect(whyNoLine('   ', 200)).toMatch(/nothing in it but spaces/)
  expect(whyNoLine('a'.repeat(200_000), 200)).toMatch(/200,000 characters, and 200/)
  for (const odd of ['a\nb', 'a\u0000b', 'a\u001b[31m', '\u202egnp.exe', 'a\u2028b', '\u0085'])
    expect(whyNoLine(`x${odd}`, 200)).toMatch(/control character/)
})
