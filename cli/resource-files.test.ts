import { mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { fileNameOf, loadResources, writeBelow } from './resource-files'

let folder: string
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'elm-resources-'))
  symlinkSync('/etc/passwd', join(folder, 'secret'))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const load = (text: string) => {
  writeFileSync(join(folder, 'odd.yaml'), text)
  return loadResources([folder])
}
const api = (version: string) => `format: 1\nkind: Api\nname: x\nspec:\n  versions: [${version}]\n`

describe('files of resources', () => {
  it.each([
    ['kind: Nothing\nformat: 1\nname: a\nspec: {}', /odd\.yaml:1 {2}There is no kind "Nothing"/],
    ['kind: Host\nformat: 1\nspec: {}', /odd\.yaml:1 {2}A resource has a kind and a name/],
    [api('{ version: 1, folder: a, files: [] }'), /A version has a version/],
    [api('{ version: "1", folder: ../.., files: [etc/passwd] }'), /no file .* beside it/],
    [api('{ version: "1", folder: ., files: [/etc/passwd] }'), /no file .* beside it/],
    [api('{ version: "1", folder: ., files: [secret] }'), /no file "secret" beside it/],
    [
      'format: 1\nkind: Host\nname: a\nspec: {}\n---\nformat: 1\nkind: Host\nname: a\nspec: {}\n',
      /Host a stands in .* as well/,
    ],
  ])('%j is refused', (text, says) => {
    expect(() => load(text)).toThrow(says)
  })

  it('have the digests of what versions name, by the names in them', () => {
    writeFileSync(join(folder, 'main.txt'), 'openapi')
    const [one] = load(api('{ version: "1", folder: ., files: [main.txt] }'))
    expect(one!.spec).toEqual({
      versions: [
        {
          version: '1',
          files: [
            {
              name: 'main.txt',
              sha256: '2d676fe19cda0e5804065c49908b2efddee7e9292fc98073010f7977f80272a3',
            },
          ],
        },
      ],
    })
  })

  it('are named so that no two are the same, and written nowhere else', () => {
    const names = ['stage:Live', 'stage-Live', '../up', '..', 'a/b', 'x'.repeat(300)]
    expect(new Set(names.map(fileNameOf)).size).toBe(names.length)
    for (const name of names) expect(fileNameOf(name)).toMatch(/^[A-Za-z0-9_-][A-Za-z0-9._-]*$/)
    expect(() => writeBelow(folder, '../up.yaml', '')).toThrow(/no name of a file/)
  })
})
