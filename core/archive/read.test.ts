import { gzipSync, zipSync, strToU8 } from 'fflate'
import fc from 'fast-check'
import { createTar } from 'nanotar'
import { describe, expect, it } from 'vitest'
import { limits } from '../text/limits'
import { archiveLimits } from './limits'
import { archiveKind, ArchiveFault, readArchive } from './read'

const text = (bytes: Uint8Array) => new TextDecoder().decode(bytes)
const namesIn = (bytes: Uint8Array) => readArchive(bytes).entries.map(({ name }) => name)

const files = fc.dictionary(
  fc.stringMatching(/^[a-z]{1,5}(\/[a-z]{1,5}){0,2}\.yaml$/),
  fc.string({ maxLength: 200 }),
  { minKeys: 1, maxKeys: 6 },
)

describe('an archive', () => {
  it.each([
    [
      'ZIP',
      (given: Record<string, string>) =>
        zipSync(
          Object.fromEntries(
            Object.entries(given).map(([name, content]) => [name, strToU8(content)]),
          ),
        ),
    ],
    [
      'TAR',
      (given: Record<string, string>) =>
        createTar(Object.entries(given).map(([name, data]) => ({ name, data }))),
    ],
    [
      'gzipped TAR',
      (given: Record<string, string>) =>
        gzipSync(createTar(Object.entries(given).map(([name, data]) => ({ name, data })))),
    ],
  ])('as %s gives back what was packed', (_kind, pack) => {
    fc.assert(
      fc.property(files, (given) => {
        const found = Object.fromEntries(
          readArchive(pack(given)).entries.map(({ name, bytes }) => [name, text(bytes)]),
        )
        expect(found).toEqual({ ...given })
      }),
      { numRuns: 40 },
    )
  })

  it.each(['../up.yaml', 'a/../../up.yaml', '/etc/up.yaml', 'C:\\up.yaml', 'a\\..\\..\\up.yaml'])(
    'that holds %s is refused',
    (name) => {
      expect(() => readArchive(zipSync({ [name]: strToU8('x') }))).toThrow(ArchiveFault)
    },
  )

  it('leaves out folders and hidden files', () => {
    expect(
      namesIn(
        zipSync({
          'a.yaml': strToU8('a'),
          '.git/config': strToU8('x'),
          '__MACOSX/a': strToU8('x'),
        }),
      ),
    ).toEqual(['a.yaml'])
  })

  it('leaves out a file that is too large, or that nothing could refer to, and takes the others', () => {
    const packed = createTar([
      { name: 'a.yaml', data: 'a' },
      { name: 'c#/d.yaml', data: 'd' },
      { name: 'b/huge.json', data: new Uint8Array(limits.bytes + 1) },
    ])
    const { entries, leftOut } = readArchive(packed)
    expect(entries.map(({ name }) => name)).toEqual(['a.yaml'])
    expect(leftOut).toEqual([
      { name: 'c#/d.yaml', why: expect.stringMatching(/holds a #/) as string },
      { name: 'b/huge.json', why: expect.stringMatching(/64\.0 MB; up to 64 MB/) as string },
    ])
  })

  it('that unpacks to many times its size is refused', () => {
    const bomb = zipSync({ 'a.yaml': new Uint8Array(24 * 1024 * 1024) }, { level: 9 })
    expect(bomb.length).toBeLessThan(100_000)
    expect(() => readArchive(bomb)).toThrow(/times its size/)
  })

  it('with too many files is refused', () => {
    const many = Object.fromEntries(
      Array.from({ length: archiveLimits.entries + 1 }, (_, i) => [`${i}.yaml`, strToU8('x')]),
    )
    expect(() => readArchive(zipSync(many, { level: 0 }))).toThrow(/more than/)
  })

  it('that is damaged, or none, is named as such and never crashes', () => {
    const whole = zipSync({ 'a.yaml': strToU8('openapi: 3.1.0\n'.repeat(50)) })
    fc.assert(
      fc.property(fc.nat(whole.length - 1), fc.integer({ min: 0, max: 255 }), (at, value) => {
        const bytes = whole.slice()
        bytes[at] = value
        try {
          readArchive(bytes)
        } catch (error) {
          expect(error).toBeInstanceOf(ArchiveFault)
        }
      }),
      { numRuns: 200 },
    )
    expect(archiveKind(strToU8('openapi: 3.1.0'))).toBeUndefined()
  })
})
