import { changeShape } from './change'
import {
  catalogShape,
  contactShape,
  definitionShape,
  licenseShape,
  organisationShape,
  securitySchemeShape,
  serverShape,
  tagShape,
} from './definition'
import type { Shape } from './fact'
import {
  headerShape,
  mediaTypeShape,
  parameterShape,
  requestBodyShape,
  responseShape,
} from './message'
import { operationShape, pathShape, soapBindingShape, webhookShape } from './operation'
import { backendShape, gatewayShape, placementShape, policyShape, routeShape } from './runtime'
import { exampleShape, propertyShape, schemaShape } from './schema'

const all = [
  definitionShape,
  contactShape,
  licenseShape,
  serverShape,
  tagShape,
  securitySchemeShape,
  pathShape,
  operationShape,
  webhookShape,
  parameterShape,
  requestBodyShape,
  responseShape,
  headerShape,
  mediaTypeShape,
  schemaShape,
  propertyShape,
  exampleShape,
  soapBindingShape,
  changeShape,
  placementShape,
  routeShape,
  policyShape,
  backendShape,
  gatewayShape,
  catalogShape,
  organisationShape,
] as unknown as Shape[]

/** Every kind of fact by its name. */
export const shapes: ReadonlyMap<string, Shape> = new Map(all.map((shape) => [shape.name, shape]))
