import { setResponseHeaders } from 'h3'
import type { NitroApp } from 'nitropack/types'
import { securityHeaders, withoutInlineScripts } from '../http/security'

/** Every response carries the headers of safety, and no page a script of its own. */
export default (nitro: NitroApp) => {
  nitro.hooks.hook('request', (event) => setResponseHeaders(event, securityHeaders()))
  nitro.hooks.hook('render:response', (response) => {
    if (typeof response.body === 'string') response.body = withoutInlineScripts(response.body)
  })
}
