import { applyChanges, type Change } from '../edit/change'
import { readText, type SourceText } from '../text/read'
import { isObject } from '../text/values'

const escaped = (name: string, quote: string) =>
  name.replaceAll('\\', '\\\\').replaceAll(quote, `\\${quote}`)

/** Whether an expression (CEL) compares with a name. */
export const compares = (cel: string, name: string): boolean =>
  ['"', "'"].some((quote) => cel.includes(`${quote}${escaped(name, quote)}${quote}`))

/** An expression (CEL) that compares with another name in its place. */
const comparedWith = (cel: string, from: string, to: string): string =>
  ['"', "'"].reduce(
    (written, quote) =>
      written.replaceAll(
        `${quote}${escaped(from, quote)}${quote}`,
        () => `${quote}${escaped(to, quote)}${quote}`,
      ),
    cel,
  )

const items = (value: unknown): unknown[] => (Array.isArray(value) ? value : [])
const member = (value: unknown, name: string): unknown =>
  isObject(value) ? value[name] : undefined

/**
 * The text of a pipeline with a stage called otherwise, also where a condition compares with its name; everything else stays
 * byte for byte, and so does a text that cannot be read.
 */
export function withStageCalled(source: SourceText, from: string, to: string): string {
  const { text } = source
  const reading = readText(source)
  if (!reading.readable || reading.syntax === 'xml') return text
  const changes = items(member(reading.value, 'stages')).flatMap((stage, index): Change[] => {
    const at = `/stages/${index}`
    const conditions = items(member(member(member(stage, 'gates'), 'condition'), 'all'))
    return [
      ...(member(stage, 'name') === from
        ? [{ kind: 'set' as const, at: `${at}/name`, value: to }]
        : []),
      ...conditions.flatMap((condition, n): Change[] => {
        const cel = member(condition, 'cel')
        if (typeof cel !== 'string' || !compares(cel, from)) return []
        const value = comparedWith(cel, from, to)
        return [{ kind: 'set', at: `${at}/gates/condition/all/${n}/cel`, value }]
      }),
    ]
  })
  return applyChanges(text, reading.syntax, changes)
}
