/** A small generator with a seed (mulberry32), so that a failing input can be made again. */
export function random(seed: number) {
  let state = seed
  return (below: number) => {
    state = (state + 0x6d2b79f5) | 0
    let t = Math.imul(state ^ (state >>> 15), 1 | state)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) % below
  }
}

const spice = [
  '{',
  '}',
  '[',
  ']',
  ':',
  '- ',
  '"',
  "'",
  '\n',
  '  ',
  '&a ',
  '*a',
  '<<: ',
  '!include a.raml',
  '$ref: "#/paths"',
  '"$ref":"#"',
  '<',
  '>',
  '</',
  '<a ',
  '&x;',
  '<!DOCTYPE a [<!ENTITY x "y">]>',
  ']]>',
  '\0',
  '\uFFFD',
  '9e999',
  '-',
  'null',
  'true',
  '<<x>>',
  '__proto__: ',
  '"__proto__":{},',
  '#/components/schemas/',
  'allOf: ',
  'type: [',
  'maxOccurs="unbounded"',
  'ref="',
  'base="',
  '%',
  ' #c',
  '\t',
  '---\n',
  '...\n',
  '? ',
  '>-\n',
  '|+\n',
  '|2\n',
  '\n\n',
  '~',
  '-1',
  '0x1F',
  '007',
  '.inf',
  '\\',
  "''",
  '[]',
  '{a: b}',
  '\r\n',
  '😀',
  '\uFEFF',
  'constructor: 2\n',
  '\n    # c\n',
]

/** A text with up to six of its parts taken out, doubled, moved, or put in of what breaks texts. */
export function mutated(text: string, next: (below: number) => number): string {
  let result = text
  for (let n = 1 + next(6); n > 0; n--) {
    const at = next(result.length + 1)
    const end = Math.min(result.length, at + next(next(4) === 0 ? 4000 : 20))
    switch (next(5)) {
      case 0:
        result = result.slice(0, at) + result.slice(end)
        break
      case 1:
        result = result.slice(0, at) + spice[next(spice.length)]! + result.slice(at)
        break
      case 2:
        result = result.slice(0, at) + result.slice(at, end).repeat(1 + next(4)) + result.slice(end)
        break
      case 3:
        result = result.slice(0, at) + spice[next(spice.length)]! + result.slice(end)
        break
      default: {
        const from = next(result.length + 1)
        result = result.slice(0, at) + result.slice(from, from + next(400)) + result.slice(end)
      }
    }
  }
  return result
}
