import yaml from 'js-yaml'
import { dereference, TooManyParts } from '../contract/dereference'
import type { Contract } from '../contract/model'
import type { Documents } from '../text/documents'
import type { Position } from '../text/diagnostic'
import type { Syntax } from '../text/read'
import { bundleWsdl } from './wsdl/bundle'
import { Losses, type Loss } from './write/losses'
import { writeOpenApi, type OpenApiVersion } from './write/openapi'
import { writeRaml } from './write/raml'
import { writeSwagger } from './write/swagger'

/** The formats a definition can be converted to. */
export const conversionTargets = [
  'openapi-3.2',
  'openapi-3.1',
  'openapi-3.0',
  'swagger-2.0',
  'raml-1.0',
] as const
export type ConversionTarget = (typeof conversionTargets)[number]

/** `bundle`: one document, shared parts by reference. `dereference`: every reference written out but circular ones. */
export type Shape = 'bundle' | 'dereference'

/** A document as text, the ending its file should have, and what it could not hold. */
export interface Conversion {
  text: string
  ending: string
  losses: Loss[]
}

/** Why a definition is not converted. */
export class ConversionFault extends Error {}

/** A loss with the place of what is lost. */
export interface PlacedLoss extends Position {
  message: string
  file: string
}

/** Writes a contract in another format. Syntax is YAML unless asked otherwise; RAML is always YAML. */
export function convert(
  contract: Contract,
  target: ConversionTarget,
  shape: Shape = 'bundle',
  syntax: Extract<Syntax, 'json' | 'yaml'> = 'yaml',
): Conversion {
  const source = shape === 'dereference' ? whole(contract) : contract
  if (target === 'raml-1.0') {
    const { document, losses } = writeRaml(source)
    return { text: `#%RAML 1.0\n${yamlText(document)}`, ending: 'raml', losses: losses.all }
  }
  const { document, losses } =
    target === 'swagger-2.0'
      ? writeSwagger(source)
      : writeOpenApi(source, target.slice('openapi-'.length) as OpenApiVersion)
  return {
    text: syntax === 'json' ? `${JSON.stringify(document, null, 2)}\n` : yamlText(document),
    ending: syntax,
    losses: losses.all,
  }
}

function whole(contract: Contract): Contract {
  try {
    return dereference(contract)
  } catch (error) {
    if (error instanceof TooManyParts) throw new ConversionFault(error.message)
    throw error
  }
}

/** The format a contract was read from, as a target: what bundling it writes again. */
export function ownTarget({ format }: Contract): ConversionTarget {
  if (format.name === 'Swagger') return 'swagger-2.0'
  if (format.name === 'RAML') return 'raml-1.0'
  if (format.name !== 'OpenAPI') return 'openapi-3.1'
  const minor = /^3\.(\d)/.exec(format.version)?.[1]
  return minor === '0' ? 'openapi-3.0' : minor === '2' ? 'openapi-3.2' : 'openapi-3.1'
}

/** One document that holds a whole definition, in its own format. */
export function bundle(contract: Contract, documents: Documents): Conversion {
  const { reading } = documents.get()!
  if (contract.format.name === 'WSDL' && reading.readable && reading.syntax === 'xml') {
    return { text: bundleWsdl(documents, reading.root), ending: 'wsdl', losses: new Losses().all }
  }
  return convert(
    contract,
    ownTarget(contract),
    'bundle',
    reading.syntax === 'json' ? 'json' : 'yaml',
  )
}

/** Losses with file, line and column, each message at a place once. */
export function placeLosses(documents: Documents, losses: Loss[]): PlacedLoss[] {
  const places = documents.locate(losses.map((loss) => loss.at))
  const seen = new Set<string>()
  return losses.flatMap(({ message, at }) => {
    const key = `${at}\n${message}`
    if (seen.has(key)) return []
    seen.add(key)
    return [{ message, ...places.get(at)! }]
  })
}

const yamlText = (document: unknown) =>
  yaml.dump(document, { noRefs: true, lineWidth: 120, quotingType: "'", sortKeys: false })
