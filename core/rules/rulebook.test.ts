import { describe, expect, it } from 'vitest'
import { extendRulebook, readRulebook } from './rulebook'
import { houseText, readHouse } from '../../tests/support/rules'

const small = `rulebook: 1
name: Rules of the Field team
groups:
  - { id: naming, title: Naming }
rules:
  - id: tag-short
    group: naming
    level: SHOULD
    title: Keep tags short
    about: tag
    expect: size(tag.name) < 20
    message: '"{tag.name}" is long'
    reason: Tags are chapters.
    samples: { passes: ['tags: [{ name: A }]'], breaks: [] }
`

const read = (text: string) => readRulebook({ file: 'r.yaml', text })

describe('reading a rulebook', () => {
  it('takes YAML and JSON alike', () => {
    const { rulebook, diagnostics } = read(small)
    expect(diagnostics).toEqual([])
    const json = JSON.stringify({
      rulebook: 1,
      name: 'Rules of the Field team',
      groups: [{ id: 'naming', title: 'Naming' }],
      rules: [{ ...rulebook!.rules[0], samples: { passes: ['tags: [{ name: A }]'], breaks: [] } }],
    })
    expect(readRulebook({ file: 'r.json', text: json }).rulebook).toEqual(rulebook)
  })

  it.each([
    ['level: SHOULD', 'level: OUGHT', 6, /tag-short.*"level" is "OUGHT"/],
    ['about: tag', 'about: tags', 6, /"about"/],
    ['    reason: Tags are chapters.\n', '', 6, /no "reason"/],
    ['expect: size(tag.name) < 20', 'expect: size(tag.nam) < 20', 11, /tag has no "nam"/],
    ['{tag.name}', '{tag.name', 12, /not closed/],
    ['group: naming', 'group: names', 7, /no group "names"/],
    ['id: tag-short', 'id: Tag Short', 6, /does not match the pattern/],
    ['rulebook: 1', 'rulebook: 2', 1, /no rulebook/],
    ['    about: tag\n', '    about: tag\n    colour: red\n', 6, /"colour"/],
  ])('says of "%s" as "%s" where it is wrong', (from, to, line, message) => {
    const { diagnostics } = read(small.replace(from, to))
    expect(diagnostics).toMatchObject([{ line, message: expect.stringMatching(message) as string }])
  })

  it('goes on after a rule at fault', () => {
    const two =
      small +
      small
        .split('rules:\n')[1]!
        .replace('tag-short', 'tag-two')
        .replace('size(tag.name) < 20', 'nonsense(')
    const { rulebook, diagnostics } = read(two)
    expect(rulebook!.rules.map(({ id }) => id)).toEqual(['tag-short'])
    expect(diagnostics).toHaveLength(1)
  })

  it('reads the house rules without a problem', () => {
    expect(read(houseText).diagnostics).toEqual([])
  })
})

describe('a rulebook that extends another', () => {
  const house = readHouse()
  const extend = (more: string) => {
    const { rulebook, diagnostics } = read(`rulebook: 1\nname: Field\nextends: house\n${more}`)
    expect(diagnostics).toEqual([])
    return extendRulebook(house, rulebook!)
  }
  const levelOf = (edition: { rules: { id: string; level: string }[] }, id: string) =>
    edition.rules.find((rule) => rule.id === id)?.level

  it('adds rules and tightens others', () => {
    const { edition, faults } = extend(
      'changes: [{ id: list-paged, level: MUST }, { id: schema-used, off: true }]',
    )
    expect(faults).toEqual([])
    expect(levelOf(edition, 'list-paged')).toBe('MUST')
    expect(levelOf(edition, 'schema-used')).toBeUndefined()
    expect(edition.domain).toBe(house.domain)
  })

  it.each(['level: SHOULD', 'off: true', 'binds: { from: 2030-01-01 }'])(
    'may not loosen a MUST with "%s"',
    (change) => {
      const { edition, faults } = extend(`changes: [{ id: server-https, ${change} }]`)
      expect(faults).toEqual([expect.stringContaining('may not be loosened') as string])
      expect(levelOf(edition, 'server-https')).toBe('MUST')
    },
  )

  it('may loosen a MUST that allows it', () => {
    const open = {
      ...house,
      rules: house.rules.map((rule) =>
        rule.id === 'server-https' ? { ...rule, mayBeLoosened: true } : rule,
      ),
    }
    const { rulebook } = read(
      'rulebook: 1\nname: Field\nextends: house\nchanges: [{ id: server-https, level: SHOULD }]',
    )
    const { edition, faults } = extendRulebook(open, rulebook!)
    expect(faults).toEqual([])
    expect(levelOf(edition, 'server-https')).toBe('SHOULD')
  })
})
