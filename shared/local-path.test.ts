import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { localPath } from './local-path'

describe('an address to return to', () => {
  it('stays as it is where it is a path of this product', () => {
    for (const to of ['/', '/apis/meter-readings?tab=source#line-4', '/drift?q=a%2Fb'])
      expect(localPath(to)).toBe(to)
  })

  it.each([
    '//evil.example',
    '/\t/evil.example/',
    '/\n/evil.example/',
    '/\\evil.example',
    '\\\\evil.example',
    '/.//evil.example',
    '/a/..//evil.example',
    'https://evil.example',
    'javascript:alert(1)',
    'http:evil.example:80',
    '///evil.example',
  ])('never leads away: %j', (to) => {
    expect(new URL(localPath(to), 'https://ours.example').origin).toBe('https://ours.example')
  })

  it('never leads away, whatever it is made of', () => {
    const piece = fc.constantFrom(
      '/',
      '\\',
      '\t',
      '\r',
      '.',
      '..',
      '@',
      ':',
      'evil.example',
      'http:',
      '?',
      '#',
      ' ',
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 8 }), (pieces) => {
        const url = new URL(localPath(pieces.join('')), 'https://ours.example')
        expect(url.origin).toBe('https://ours.example')
      }),
    )
  })
})
