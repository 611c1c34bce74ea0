import type { DefinitionSummary } from '../../core/definition'
import { whyNoLine } from '../../core/text/line'
import { invalid } from './failure'

const longest = { title: 200, version: 100 }

/** A definition is called by a title and a version that people can read; what it leaves out is made up for it. */
export function requireNames(summary: Pick<DefinitionSummary, 'title' | 'version'>): void {
  const faults = (['title', 'version'] as const).flatMap((name) => {
    const why = summary[name] === '' ? undefined : whyNoLine(summary[name], longest[name])
    return why === undefined
      ? []
      : [{ field: name, message: `The ${name} that the text gives itself ${why}. Change it there` }]
  })
  if (faults.length > 0) throw invalid(faults)
}

/** A title as it stands in addresses. */
export const slugOf = (title: string) =>
  title
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 80) || 'api'

/** XML formats name things without spaces; people do not. Without a title, a definition is called by its file. */
export function titleOf({ title, format }: DefinitionSummary, main: string): string {
  if (title === '') return main.replace(/^.*\//, '').replace(/\.\w+$/, '')
  const isName = /^W[SA]DL/.test(format) && /^\w+$/.test(title)
  return isName ? title.replace(/_/g, ' ').replace(/(?<=[a-z0-9])(?=[A-Z])/g, ' ') : title
}
