import { xmlLayout, type Layout } from '../layout-model'

/** Operations belong to port types, and are written by hand. */
export const wsdlLayout: Layout = xmlLayout
