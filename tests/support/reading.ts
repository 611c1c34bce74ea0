import type { Contract } from '../../core/contract/model'
import { readDefinition, type Reading } from '../../core/formats/read'
import { besideIn } from '../../core/text/documents'

export type Readable = Extract<Reading, { readable: true }>

/** Reads a definition, with the files beside it by name; throws where it cannot be read. */
export function readable(
  text: string,
  file = 'a.yaml',
  others: Readonly<Record<string, string>> = {},
): Readable {
  const reading = readDefinition({ file, text }, besideIn(new Map(Object.entries(others))))
  if (!reading.readable) throw new Error(JSON.stringify(reading.diagnostics.slice(0, 3)))
  return reading
}

/** The contract of an OpenAPI document of values. */
export const contractOf = (document: object): Contract =>
  readable(JSON.stringify(document), 'a.json').contract
