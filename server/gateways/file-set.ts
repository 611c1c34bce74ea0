import { createHash } from 'node:crypto'
import { fromCluster } from '../../core/runtime/cluster/read'
import { ConfigurationError } from '../../core/runtime/config-values'
import { joinDocuments } from '../../core/text/yaml-stream'
import { errorText } from '../../core/text/values'
import { gatewayDown, type Running } from './adapter'

/** A file, by its path below the folder. */
export interface ClusterFile {
  path: string
  text: string
}

/** What becomes of a file: its text, or that it goes. */
export interface FileChange {
  path: string
  text: string | undefined
}

export const mostFiles = 2000
export const mostBytes = 16 * 1024 * 1024

export const isRead = (name: string) => /\.(?:ya?ml|json)$/i.test(name) && !name.startsWith('.')

export const tooLarge = (name: string) =>
  gatewayDown(name, `has more than ${mostFiles} files, or more than 16 MB of them`)

/** Files as one text, with a tag of all their contents; `etag` where something better tells when they change. */
export function joined(name: string, all: readonly ClusterFile[], etag?: string): Running {
  const readable = all.filter(({ path }) => isRead(path.split(/[\\/]/).at(-1)!))
  if (
    readable.reduce((sum, { text }) => sum + text.length, 0) > mostBytes ||
    all.length > mostFiles
  )
    throw tooLarge(name)
  for (const { path, text } of readable) requireReadable(path, text)
  const hash = createHash('sha256')
  for (const { path, text } of readable) hash.update(`${path}\0${text}\0`)
  return {
    text: joinDocuments(readable.map(({ path, text }) => `# ${path}\n${text}`)),
    etag: etag ?? hash.digest('hex').slice(0, 32),
  }
}

/** Which file it is that nobody can read. */
function requireReadable(path: string, text: string): void {
  try {
    fromCluster(text)
  } catch (error) {
    throw new ConfigurationError(`${path}: ${errorText(error)}`)
  }
}
