import type { SoapOperation } from './api/catalog'

/**
 * What an operation is called where people read it: method and path, and for SOAP its port type and name, since nobody
 * calls the path.
 */
export const calledBy = ({
  method,
  path,
  soap,
}: {
  method: string
  path: string
  soap?: SoapOperation | undefined
}): { method: string; name: string } =>
  soap ? { method: 'SOAP', name: `${soap.portType} · ${soap.operation}` } : { method, name: path }
