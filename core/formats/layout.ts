import type { FormatName } from '../contract/model'
import { openApiLayout, swaggerLayout } from './openapi/layout'
import { ramlLayout } from './raml/layout'
import type { Layout } from './layout-model'
import { wadlLayout } from './wadl/layout'
import { wsdlLayout } from './wsdl/layout'

export type { Layout } from './layout-model'

/** How each format is laid out. */
export const layouts: Record<FormatName, Layout> = {
  OpenAPI: openApiLayout,
  Swagger: swaggerLayout,
  RAML: ramlLayout,
  WSDL: wsdlLayout,
  WADL: wadlLayout,
}
