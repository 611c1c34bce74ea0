import yaml from 'js-yaml'
import { errorText } from '../text/values'
import { ConfigurationError, record, text } from './config-values'

/** A Kubernetes-shaped resource: Gateway API kinds, and our policy kinds attached to them. */
export interface Resource {
  apiVersion: string
  kind: string
  metadata: { name: string; labels?: Record<string, string> }
  spec: Record<string, unknown>
}

export const gatewayApi = 'gateway.networking.k8s.io/v1'
export const policyGroup = 'policy.elm-ledger.example'
export const policyApi = `${policyGroup}/v1`
export const labels = {
  placement: 'elm-ledger.example/placement',
  version: 'elm-ledger.example/version',
  revision: 'elm-ledger.example/revision',
} as const

/** The placement that a resource was written for. */
export const placementOf = (resource: Resource): string | undefined =>
  resource.metadata.labels?.[labels.placement]
/** Writes resources as a YAML stream, one document each. */
export const writeResources = (resources: readonly object[]) =>
  resources.map((resource) => yaml.dump(resource, { lineWidth: 120, noRefs: true })).join('---\n')
/** The same as documents of JSON, which YAML reads too: for machines, since writing it costs far less. */
export const keepResources = (resources: readonly Resource[]) =>
  resources.map((resource) => JSON.stringify(resource)).join('\n---\n')

const maxConfigBytes = 16 * 1024 * 1024
/** Reads a YAML stream of resources. Throws {@link ConfigurationError} for anything that is not one. */
export function readResources(text: string): Resource[] {
  if (text.length > maxConfigBytes)
    throw new ConfigurationError('The configuration is larger than 16 MB')
  let documents: unknown[]
  try {
    documents = yaml.loadAll(text, undefined, { schema: yaml.CORE_SCHEMA })
  } catch (error) {
    throw new ConfigurationError(`The configuration is not readable YAML: ${errorText(error)}`)
  }
  return documents.flatMap((document, index) => {
    if (document === null || document === undefined) return []
    return [resourceOf(document, index + 1)]
  })
}

function resourceOf(document: unknown, number: number): Resource {
  const where = `Document ${number}`
  const node = record(document, where)
  const metadata = record(node['metadata'], `${where}, metadata`)
  return {
    apiVersion: text(node['apiVersion'], `${where}, apiVersion`),
    kind: text(node['kind'], `${where}, kind`),
    metadata: {
      name: text(metadata['name'], `${where}, metadata.name`),
      ...(metadata['labels'] !== undefined && {
        labels: labelsOf(metadata['labels'], `${where}, labels`),
      }),
    },
    spec: record(node['spec'], `${where}, spec`),
  }
}

const labelsOf = (value: unknown, where: string): Record<string, string> =>
  Object.fromEntries(
    Object.entries(record(value, where)).map(([name, label]) => [
      name,
      text(label, `${where}.${name}`),
    ]),
  )
