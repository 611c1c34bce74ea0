import { isHostName } from '../addresses'
import { canonicalName } from '../headers'
import { networkOf, readBackendAddress } from '../backend-address'

/** Why a text is no name of a header (RFC 9110, section 5.1). */
export const whyNoToken = (name: string) =>
  /^[\w!#$%&'*+.^`|~-]{1,100}$/.test(name) ? undefined : 'has a character that no header name has'

/**
 * Headers that say where a message ends, whom it is for and what a gateway itself tells: no policy changes those. Cookies
 * are mapped one by one.
 */
const untouchable =
  /^(?:connection|content-length|cookie|expect|host|keep-alive|proxy-.*|te|trailer|transfer-encoding|upgrade|x-forwarded-.*|x-request-id|forwarded)$/i

export const whyNoChangeable = (name: string) =>
  whyNoToken(name) ??
  (untouchable.test(canonicalName(name)) ? 'belongs to the gateway itself' : undefined)

/** Why a text is no network in CIDR notation. */
export const whyNoNetwork = (text: string) =>
  networkOf(text) ? undefined : 'is no network such as 10.0.0.0/8'

/** Why a text is no http or https address that a gateway may call. */
export const whyNoAddress = (text: string) => {
  const read = readBackendAddress(text)
  return 'refused' in read ? read.refused : undefined
}

/** Why a text is no origin (RFC 6454): `https://app.example`, `https://*.app.example`, or `*`. */
export function whyNoOrigin(text: string): string | undefined {
  if (text === '*') return undefined
  const origin = /^(https?):\/\/(\*\.)?([^/:?#]+)(?::\d{1,5})?$/.exec(text)
  return origin && isHostName(origin[3]!) ? undefined : 'is no origin such as https://app.example'
}

/** The bytes of a certificate as Base64: what stands in PEM between its lines (RFC 7468, section 5). */
export const certificateBase64 = (text: string) =>
  text.replace(/-----(?:BEGIN|END) CERTIFICATE-----|\s/g, '')

/** Why a text is no certificate; whether it is one to the last byte, the gateway says. */
export function whyNoCertificate(text: string): string | undefined {
  const why = 'is no certificate in PEM or Base64'
  const written = certificateBase64(text)
  if (!/^[A-Za-z\d+/]{100,}={0,2}$/.test(written) || written.length % 4 !== 0) return why
  // DER: a sequence whose length takes two bytes, which is that of the whole (X.690, section 8.1).
  const [sequence, form, high = 0, low = 0] = [...atob(written).slice(0, 4)].map((c) =>
    c.charCodeAt(0),
  )
  const length = (written.length / 4) * 3 - (/=*$/.exec(written)?.[0].length ?? 0)
  return sequence === 0x30 && form === 0x82 && high * 256 + low + 4 === length ? undefined : why
}

/** Why a text is no media type or range of them. */
export const whyNoMediaType = (text: string) =>
  /^(?:\*\/\*|[\w!#$&^.+-]{1,100}\/(?:\*|[\w!#$&^.+-]{1,100}))$/.test(text)
    ? undefined
    : 'is no media type such as application/json'

/** Why a text is no time of day. */
export const whyNoTime = (text: string) =>
  /^(?:[01]\d|2[0-3]):[0-5]\d$/.test(text) ? undefined : 'is no time such as 06:30'

/** Why a text is no moment in UTC. */
export const whyNoMoment = (text: string) =>
  /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(?::\d{2})?Z$/.test(text) && !Number.isNaN(Date.parse(text))
    ? undefined
    : 'is no moment such as 2026-11-28T18:00:00Z'

export function whyNoZone(text: string): string | undefined {
  try {
    new Intl.DateTimeFormat('en', { timeZone: text })
    return undefined
  } catch {
    return 'is no time zone such as Europe/London'
  }
}

/** Items that `more` has and `than` has not. */
export const beyond = (more: readonly string[], than: readonly string[]) =>
  more.filter((item) => !than.includes(item))
