import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { canonical } from '../text/canonical'
import { ChainVerifier, entryHash, genesis, sha256Hex, type Entry } from './chain'

const body = fc.record({
  actor: fc.string(),
  action: fc.string(),
  subject: fc.string(),
  before: fc.jsonValue(),
  after: fc.jsonValue(),
})

function chainOf(
  bodies: { actor: string; action: string; subject: string; before: unknown; after: unknown }[],
): Entry[] {
  let previous = genesis
  return bodies.map((item, index) => {
    const full = { number: index + 1, at: '2026-11-20T00:00:00.000Z', ...item }
    const entry = { ...full, previous, hash: entryHash(full, previous) }
    previous = entry.hash
    return entry
  })
}

function verdict(entries: Entry[]) {
  const verifier = new ChainVerifier()
  for (const entry of entries) verifier.add(entry)
  return verifier
}

describe('canonical JSON', () => {
  it('does not depend on the order of names, and reads back as the same value', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const text = canonical(value)
        expect(JSON.parse(text)).toEqual(JSON.parse(JSON.stringify(value)))
        const turned = JSON.parse(JSON.stringify(value), (_key, item: unknown) =>
          typeof item === 'object' && item !== null && !Array.isArray(item)
            ? Object.fromEntries(Object.entries(item).reverse())
            : item,
        ) as unknown
        expect(canonical(turned)).toBe(text)
      }),
    )
  })

  it('follows RFC 8785 in its own example of names and numbers', () => {
    expect(canonical({ '\u20ac': 1, '\r': 2, '1': 1e21, a: 4.5, b: 2e-3 })).toBe(
      '{"\\r":2,"1":1e+21,"a":4.5,"b":0.002,"€":1}',
    )
    expect(() => canonical({ a: Number.NaN })).toThrow(TypeError)
  })

  it('hashes as SHA-256 does', () => {
    expect(sha256Hex('abc')).toBe(
      'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad',
    )
  })
})

describe('the chain', () => {
  it('holds as written', () => {
    fc.assert(
      fc.property(fc.array(body, { maxLength: 8 }), (bodies) => {
        const result = verdict(chainOf(bodies))
        expect(result.firstBreak).toBeUndefined()
        expect(result.checked).toBe(bodies.length)
      }),
    )
  })

  it('names the first entry that was changed, whatever was changed in it', () => {
    fc.assert(
      fc.property(
        fc.array(body, { minLength: 1, maxLength: 8 }),
        fc.nat(),
        fc.constantFrom('actor', 'action', 'subject', 'after', 'previous', 'hash'),
        (bodies, pick, field) => {
          const entries = chainOf(bodies)
          const index = pick % entries.length
          entries[index] = {
            ...entries[index]!,
            [field]: `${JSON.stringify(entries[index]![field as 'actor'])}!`,
          }
          expect(verdict(entries).firstBreak?.number).toBe(index + 1)
        },
      ),
    )
  })

  it('notices an entry that is missing', () => {
    const entries = chainOf(fc.sample(body, 4))
    expect(verdict([...entries.slice(0, 1), ...entries.slice(2)]).firstBreak).toMatchObject({
      number: 3,
      why: 'Entry 2 is missing',
    })
  })
})
