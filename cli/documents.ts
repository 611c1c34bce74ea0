import { readFileSync, statSync } from 'node:fs'
import { joinDocuments } from '../core/text/yaml-stream'
import { WrongUse } from './files'

const mostBytes = 16 * 1024 * 1024

/** Files of resources as one text, a document each: YAML, or JSON, which YAML reads too; `-` is standard input. */
export function documentsOf(paths: readonly string[]): string {
  const texts = paths.map((path) => {
    if (path === '-') return readFileSync(0, 'utf8')
    const stat = statSync(path, { throwIfNoEntry: false })
    if (!stat?.isFile()) throw new WrongUse(`There is no file "${path}".`)
    if (stat.size > mostBytes) throw new WrongUse(`"${path}" is larger than 16 MB.`)
    return readFileSync(path, 'utf8')
  })
  const text = joinDocuments(texts)
  if (Buffer.byteLength(text) > mostBytes)
    throw new WrongUse('Resources of 16 MB at most are read: leave out what is not about routes.')
  return text
}
