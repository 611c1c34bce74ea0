import { execFileSync } from 'node:child_process'
import fc from 'fast-check'
import { expect, it } from 'vitest'
import { shellWord } from './shell'

it('is read by a shell as the word that it was, whatever is in it', () => {
  const words = fc.array(fc.string({ unit: fc.constantFrom(...'a $`\'"\\;|&(){}*?~#!<>-=\n') }), {
    ...{ minLength: 1, maxLength: 40 },
  })
  fc.assert(
    fc.property(words, (all) => {
      const told = execFileSync('sh', ['-c', `printf '%s\\0' ${all.map(shellWord).join(' ')}`])
      expect(told.toString().split('\0').slice(0, -1)).toEqual(all)
    }),
    { numRuns: 20 },
  )
  expect(shellWord('release/2.4')).toBe('release/2.4')
  expect(shellWord('')).toBe("''")
})
