import type { DefinitionSummary } from '../../core/definition'

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
