import type { Contract } from '../../contract/model'
import type { Documents } from '../../text/documents'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { isObject, type Node } from '../../text/values'
import { resolveName } from '../../text/location'
import { RamlBuilder } from './read'
import { RamlSources, ramlHeader } from './sources'
import { merge } from './templates'

/** Whether a text begins as every RAML document does. */
export const isRaml = (text: string) => ramlHeader(text) !== undefined

/** Reads a RAML 0.8 or 1.0 API, overlay or extension. */
export function readRaml(
  documents: Documents,
  value: unknown,
): { contract: Contract; diagnostics: PlacedDiagnostic[] } | { unknown: PlacedDiagnostic } {
  const { version, kind } = ramlHeader(documents.main.text)!
  const fragment = !['API', 'Overlay', 'Extension'].includes(kind)
  if (fragment || !isObject(value)) {
    const message = fragment
      ? `This is a ${kind} of RAML, a part of definitions; bring in the API that uses it`
      : 'A RAML document is an object that begins with "title"'
    return { unknown: { at: '', severity: 'error', message } }
  }
  const sources = new RamlSources(documents)
  const root = extended(documents, sources, documents.main.file, 0) ?? {}
  const builder = new RamlBuilder(documents, sources, root, version)
  const contract = builder.build()
  return { contract, diagnostics: [...sources.diagnostics, ...builder.diagnostics] }
}

/** An overlay or extension merged over what it extends; its own word counts. */
function extended(
  documents: Documents,
  sources: RamlSources,
  file: string,
  depth: number,
): Node | undefined {
  const root = sources.load(file)
  if (!isObject(root)) return undefined
  const target = root['extends']
  if (typeof target !== 'string' || depth > 20) return root
  const name = resolveName(file, target)
  const base = documents.get(name) ? extended(documents, sources, name, depth + 1) : undefined
  if (!base) {
    sources.diagnostics.push({
      at: sources.place(undefined, root, 'extends'),
      severity: 'error',
      message: `${target} is not among the files, so what this ${depth === 0 ? 'document' : 'file'} extends is unknown`,
    })
    return root
  }
  sources.scope(base, name)
  return merge(root, base, sources) as Node
}
