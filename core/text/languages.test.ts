import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { matches } from './pattern'
import { textsBetween, textsLike } from './languages'

describe('patterns as sets of texts', () => {
  it.each([
    ['^[0-9]+$', '^[0-9a-f]+$', true],
    ['^[0-9a-f]+$', '^[0-9]+$', false],
    ['^a{2,3}$', '^a+$', true],
    ['^(cat|dog)$', '^(dog|cat|cow)$', true],
    ['abc', 'b', true],
    ['b', 'abc', false],
    ['^M-', 'M', true],
    ['^\\d{4}-\\d{2}-\\d{2}T', '^\\d{4}-\\d{2}', true],
    ['^x$|^y$', '^[xy]$', true],
    ['^[xy]$', '^x$|^y$', true],
    ['', '^a', false],
  ])('%s within %s: %s', (taken, refused, isWithin) => {
    const between = textsBetween(taken, refused)!
    expect(between.length === 0).toBe(isWithin)
    for (const text of between)
      expect([text, matches(text, taken), matches(text, refused)]).toEqual([text, true, false])
  })

  it.each(['^(?=a)', '(a)\\1', '\\bword', '(?<!a)b', '[', '(', '^a{9000}$'])(
    'says that it cannot tell of %s',
    (pattern) => {
      expect(textsBetween(pattern, '^a+$')).toBeUndefined()
      expect(textsBetween('^a+$', pattern)).toBeUndefined()
    },
  )

  it('ends in time on patterns that grow when they are turned round', () => {
    const started = performance.now()
    expect(textsBetween('^[ab]*$', '^[ab]*a[ab]{22}$')).toBeUndefined()
    expect(textsBetween(`^(${'a?'.repeat(40)}){40}$`, '^a+$')).toEqual([''])
    expect(performance.now() - started).toBeLessThan(5000)
  })

  it('gives texts that a pattern takes', () => {
    for (const pattern of ['^M-[0-9]{6}$', '^[A-Z]{2,4}/\\d+$', 'x'])
      for (const text of textsLike(pattern)) expect(matches(text, pattern)).toBe(true)
    expect(textsLike('^M-[0-9]{6}$')[0]).toMatch(/^M-\d{6}$/)
  })

  it('is right for generated patterns, by every short text', () => {
    const part = fc.constantFrom('a', 'b', 'ab?', '[ab]', 'a*', 'b+', '(a|bb)', 'a{1,2}')
    const pattern = fc
      .tuple(fc.boolean(), fc.array(part, { minLength: 1, maxLength: 3 }), fc.boolean())
      .map(([begins, parts, ends]) => `${begins ? '^' : ''}${parts.join('')}${ends ? '$' : ''}`)
    const words = ['']
    for (let i = 0; words.length < 127; i++) words.push(`${words[i]!}a`, `${words[i]!}b`)
    fc.assert(
      fc.property(pattern, pattern, (taken, refused) => {
        const between = textsBetween(taken, refused)!
        if (between.length === 0)
          for (const word of words)
            if (matches(word, taken)) expect([word, matches(word, refused)]).toEqual([word, true])
        for (const text of between)
          expect([matches(text, taken), matches(text, refused)]).toEqual([true, false])
      }),
    )
  })
})
