import { expect, it } from 'vitest'
import { isUriReference } from './uri'

it('tells addresses from what is none', () => {
  for (const good of [
    'https://a.example/b?c=d#e',
    '/docs',
    'docs/a.html',
    'mailto:a@b.example',
    '#a',
    'urn:a:b',
    '//a.example',
  ])
    expect([good, isUriReference(good)]).toEqual([good, true])
  for (const bad of [
    '',
    'ask at the desk',
    'https://a b',
    '<a>',
    'a\\b',
    '%zz',
    '1:a',
    'ü',
    '{host}/a',
    'a#b#c',
  ])
    expect([bad, isUriReference(bad)]).toEqual([bad, false])
})
