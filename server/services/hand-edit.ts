import { rowName } from '../../core/runtime/placement'
import { placementOf, type Resource } from '../../core/runtime/resources'
import type { HandEdit } from '../../shared/api/placements'
import type { PlacementRow } from './compiled'
import { conflict } from './failure'

/** A running configuration after somebody's hand edit of one placement. */
export function handEdited(
  resources: readonly Resource[],
  placement: PlacementRow,
  kind: HandEdit['kind'],
): Resource[] {
  const mine = (name: string) => (resource: Resource) =>
    resource.kind === name && placementOf(resource) === placement.id
  const change = (
    name: string,
    edit: (spec: Record<string, unknown>) => Record<string, unknown>,
  ) => {
    if (!resources.some(mine(name)))
      throw conflict(`This placement has no ${name} on the gateway to edit.`)
    return resources.map((resource) =>
      mine(name)(resource) ? { ...resource, spec: edit(resource.spec) } : resource,
    )
  }
  if (kind === 'limit') {
    return change('RateLimitPolicy', (spec) => ({
      ...spec,
      requests: Number(spec['requests']) * 10,
    }))
  }
  if (kind === 'backend') {
    return change('Backend', (spec) => ({ ...spec, url: 'http://localhost:9999' }))
  }
  return serveWithheld(resources, placement)
}

/** Serves the first withheld operation from the backend the others use. */
function serveWithheld(resources: readonly Resource[], { id, spec }: PlacementRow): Resource[] {
  const withheld = spec.routes.find((row) => row.treatment.kind === 'withheld')
  if (!withheld || withheld.path.includes('{'))
    throw conflict('This placement withholds no operation with a plain path.')
  return resources.map((resource) => {
    if (resource.kind !== 'HTTPRoute' || placementOf(resource) !== id) return resource
    const rules = resource.spec['rules'] as { name: string; backendRefs: { kind: string }[] }[]
    const served = rules.find(({ backendRefs }) => backendRefs[0]?.kind === 'Backend')
    if (!served) throw conflict('This placement sends nothing to a backend.')
    const edited = rules.map((rule) =>
      rule.name === rowName(withheld) ? { ...rule, backendRefs: served.backendRefs } : rule,
    )
    return { ...resource, spec: { ...resource.spec, rules: edited } }
  })
}
