/** A service of a cluster, as routes refer to it (Gateway API v1, BackendObjectReference). */
export interface Service {
  name: string
  namespace?: string
  port: number
}

const label = '[a-z\\d](?:[a-z\\d-]{0,61}[a-z\\d])?'
const address = new RegExp(
  `^http://(${label})(?:\\.(${label})(?:\\.svc(?:\\.cluster\\.local)?)?)?(?::(\\d{1,5}))?$`,
)

/** The service that an address inside a cluster stands for: `http://levels.water.svc:8080`; undefined for any other. */
export function serviceOf(url: string): Service | undefined {
  const found = address.exec(url)
  if (!found) return undefined
  const [, name = '', namespace, port = '80'] = found
  if (namespace === undefined && /^\d+$/.test(name)) return undefined
  return { name, ...(namespace !== undefined && { namespace }), port: Number(port) }
}

export const serviceUrl = ({ name, namespace, port }: Service) =>
  `http://${name}${namespace === undefined ? '' : `.${namespace}.svc`}:${port}`
