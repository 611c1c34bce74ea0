import { createHash } from 'node:crypto'
import {
  mkdirSync,
  readdirSync,
  readFileSync,
  realpathSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { dirname, join, relative, resolve, sep } from 'node:path'
import { readResources, type FileResource } from '../core/resources/files'
import { isObject } from '../core/text/values'
import {
  resourceKinds,
  type ApiVersion,
  type ResourceBody,
  type ResourceKindName,
} from '../shared/api/resources'
import { WrongUse } from './files'

const mostBytes = 8 * 1024 * 1024
const mostResources = 20_000

/** A resource with the file it stands in, and the files of its definitions. */
export interface LoadedResource extends ResourceBody {
  file: string
  document: number
  /** Definitions by version, each with the bytes of its files by name. */
  definitions: Map<string, Map<string, Buffer>>
}

/** Every resource below some paths; throws with every fault and its place where there is any. */
export function loadResources(paths: readonly string[]): LoadedResource[] {
  const faults: string[] = []
  const loaded: LoadedResource[] = []
  for (const path of paths)
    for (const file of filesBelow(path)) {
      if (statSync(file).size > mostBytes) throw new WrongUse(`"${file}" is larger than 8 MB.`)
      const read = readResources(file, readFileSync(file, 'utf8'))
      faults.push(...read.faults.map(({ line, message }) => `${file}:${line}  ${message}`))
      for (const resource of read.resources) {
        const kind = resourceKinds.find((one) => one === resource.kind)
        if (!kind)
          faults.push(
            `${file}:${resource.line}  There is no kind "${resource.kind}"; there are ${resourceKinds.join(', ')}`,
          )
        else
          try {
            loaded.push(withDefinitions(file, kind, resource))
          } catch (error) {
            if (!(error instanceof WrongUse)) throw error
            faults.push(`${file}:${resource.line}  ${error.message}`)
          }
      }
      if (loaded.length > mostResources) throw new WrongUse(`More than ${mostResources} resources.`)
    }
  const names = new Map<string, string>()
  for (const { kind, name, file } of loaded) {
    const other = names.get(`${kind} ${name}`)
    if (other !== undefined) faults.push(`${file}  ${kind} ${name} stands in ${other} as well`)
    names.set(`${kind} ${name}`, file)
  }
  if (faults.length > 0) throw new WrongUse(faults.join('\n'))
  return loaded
}

/** Files of resources: a named one, or all with such an ending below a folder, but for the definitions of versions. */
function filesBelow(path: string): string[] {
  const stat = statSync(path, { throwIfNoEntry: false })
  if (!stat) throw new WrongUse(`There is no file or folder "${path}".`)
  if (!stat.isDirectory()) return [path]
  return readdirSync(path, { withFileTypes: true })
    .sort((one, other) => (one.name < other.name ? -1 : 1))
    .flatMap((entry) => {
      const below = join(path, entry.name)
      if (entry.name.startsWith('.')) return []
      if (entry.isDirectory()) return kept.has(entry.name) ? [] : filesBelow(below)
      return /\.(?:ya?ml|json)$/.test(entry.name) && entry.name !== schemaFile ? [below] : []
    })
}

/** Folders whose files are no resources: the definitions of APIs, and what gateways are meant to run. */
const kept = new Set(['definitions', 'intended'])
export const schemaFile = 'resource.schema.json'

function withDefinitions(file: string, kind: ResourceKindName, resource: FileResource) {
  const { name, spec, document } = resource
  const definitions = new Map<string, Map<string, Buffer>>()
  if (kind !== 'Api' || spec['versions'] === undefined)
    return { kind, name, spec, file, document, definitions }
  if (!Array.isArray(spec['versions'])) throw new WrongUse('spec.versions is a list')
  const versions = spec['versions'].map((written: unknown): ApiVersion => {
    const { version, folder, files } = isObject(written) ? (written as Record<string, unknown>) : {}
    const isWhole =
      typeof version === 'string' &&
      typeof folder === 'string' &&
      Array.isArray(files) &&
      files.every((one): one is string => typeof one === 'string')
    if (!isWhole)
      throw new WrongUse('A version has a version, a folder, and the names of its files')
    const texts = new Map(files.map((one) => [one, readBelow(dirname(file), folder, one)]))
    definitions.set(version, texts)
    return {
      version,
      files: [...texts].map(([one, bytes]) => ({
        name: one,
        sha256: createHash('sha256').update(bytes).digest('hex'),
      })),
    }
  })
  return { kind, name, spec: { ...spec, versions }, file, document, definitions }
}

/** A file below the folder of the resource that names it; nothing outside of it is read, links or not. */
function readBelow(root: string, folder: string, name: string): Buffer {
  const path = resolve(root, folder, name)
  const isBelow = (base: string, one: string) => {
    const way = relative(base, one)
    return way !== '' && way.split(sep)[0] !== '..' && resolve(base, way) === one
  }
  const stat = isBelow(resolve(root), path) ? statSync(path, { throwIfNoEntry: false }) : undefined
  if (!stat?.isFile() || !isBelow(realpathSync(root), realpathSync(path)))
    throw new WrongUse(`There is no file "${join(folder, name)}" beside it`)
  return readFileSync(path)
}

/** A name as one part of a path, the same for no two names of a kind. */
export function fileNameOf(name: string): string {
  const plain = name.replace(/[^A-Za-z0-9._-]+/g, '-').replace(/^\.+/, '')
  if (plain === name && name.length <= 100) return name
  return `${plain.slice(0, 80)}-${createHash('sha256').update(name).digest('hex').slice(0, 8)}`
}

/** Writes a file below a folder, never outside of it, whatever its name is. */
export function writeBelow(root: string, name: string, content: string | Uint8Array): void {
  const path = resolve(root, name)
  if (!path.startsWith(resolve(root) + sep)) throw new WrongUse(`"${name}" is no name of a file.`)
  mkdirSync(dirname(path), { recursive: true })
  writeFileSync(path, content)
}

export const folderOf = (kind: ResourceKindName) =>
  kind.replace(/(?<=[a-z])(?=[A-Z])/g, '-').toLowerCase()
