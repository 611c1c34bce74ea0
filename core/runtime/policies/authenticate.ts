import { canonicalName } from '../headers'
import { canonical } from '../../text/canonical'
import { choice, list, object, optional, text, variants, whole, type ValueOf } from '../fields'
import { whyNoAddress, whyNoCertificate, whyNoToken } from './checks'
import { policyKind } from './kind'
import { listed } from '../../text/counted'
import { duration, someOf } from './words'

const claim = text({
  label: 'Claim',
  says: 'The name of a claim of the token (RFC 7519, section 4).',
  example: 'tenant',
  max: 100,
})

/** A certificate of nobody’s, whose key was thrown away. */
const exampleAuthority = [
  'MIIBQTCB6KADAgECAgwgq23rkAfIprrzepgwCgYIKoZIzj0EAwIwEDEOMAwGA1UEAxMFV29ya3MwIBcNMjYxMTI3MjA0MjEy',
  'WhgPMjEyNjExMDQyMDQyMTJaMBAxDjAMBgNVBAMTBVdvcmtzMFkwEwYHKoZIzj0CAQYIKoZIzj0DAQcDQgAEeMt1z1LUBozh',
  'baUK1uHzeFyBXibl4xWD7GPKnx8f7CilOzUiSdF1sWBaCE/DIM1ycWXMsw5sALqa8ueCHdSDnaMmMCQwEgYDVR0TAQH/BAgw',
  'BgEB/wIBADAOBgNVHQ8BAf8EBAMCAgQwCgYIKoZIzj0EAwIDSAAwRQIhAPqTlc5umlOWZdaji1us5eld8zu8BNmSh0ywoUOE',
  'PFdtAiB6mLMbIlrYqQgcflOQwSwCrmrxp92TtafbSeDs5WSbvQ==',
].join('')

const method = variants(
  { label: 'Credential', says: 'One credential that a request carries.' },
  {
    'api-key': object(
      { label: 'API key', says: 'A key that was issued for the placement.' },
      {
        in: choice(
          [
            { value: 'header', label: 'header' },
            { value: 'query', label: 'query parameter' },
            { value: 'cookie', label: 'cookie' },
          ],
          { label: 'In', says: 'Where it stands.', default: 'header' },
        ),
        name: text({
          label: 'Name',
          says: 'The name of the header, query parameter or cookie.',
          example: 'X-Api-Key',
          max: 60,
          why: whyNoToken,
          default: 'X-Api-Key',
        }),
      },
    ),
    basic: object(
      {
        label: 'HTTP Basic',
        says: 'Name and secret in Authorization (RFC 7617): the name a key was issued for, and the key.',
      },
      {
        realm: text({
          label: 'Realm',
          says: 'What is asked for, as the browser’s dialog shows it.',
          example: 'Works Orders',
          max: 100,
          why: (written) => (/["\\]/.test(written) ? 'has a quotation mark' : undefined),
          default: 'API',
        }),
      },
    ),
    'client-certificate': object(
      {
        label: 'Client certificate',
        says: 'A certificate that the client shows in the TLS handshake (RFC 8446, section 4.4.2), and proves to have the key of.',
      },
      {
        authority: text({
          label: 'Authority',
          says: 'The certificate of who must have issued it: PEM, or its Base64 alone, on one line.',
          example: exampleAuthority,
          max: 8000,
          why: whyNoCertificate,
        }),
        client: choice(
          [
            { value: 'common-name', label: 'the common name' },
            { value: 'dns', label: 'the first DNS name' },
            { value: 'uri', label: 'the first URI' },
          ],
          {
            label: 'Client',
            says: 'What names the client: of its subject, or its alternative names (RFC 5280, section 4.2.1.6).',
            default: 'common-name',
          },
        ),
        clients: list(
          text({
            label: 'Client',
            says: 'One client.',
            example: 'telemetry.brackenmere.example',
            max: 200,
          }),
          {
            label: 'Clients',
            says: 'Those that are taken; an empty list takes everyone whom the authority has issued one.',
            max: 100,
            default: [],
          },
        ),
      },
    ),
    jwt: object(
      { label: 'JWT', says: 'A signed token in Authorization (RFC 6750, RFC 7519).' },
      {
        issuer: text({
          label: 'Issuer',
          says: 'Who must have issued it: its claim iss.',
          example: 'https://idp.brackenmere.example',
          max: 500,
        }),
        jwks: text({
          label: 'JWKS address',
          says: 'Where the issuer publishes its keys (RFC 7517).',
          example: 'https://idp.brackenmere.example/jwks',
          max: 500,
          why: whyNoAddress,
        }),
        audience: list(
          text({ label: 'Audience', says: 'One audience.', example: 'supply', max: 300 }),
          {
            label: 'Audiences',
            says: 'One of these must stand in its claim aud; an empty list takes tokens for anybody.',
            max: 20,
            default: [],
          },
        ),
        skewSeconds: whole({
          label: 'Clock skew',
          says: 'How far the clocks of issuer and gateway may be apart.',
          min: 0,
          max: 600,
          unit: 's',
          default: 30,
        }),
        client: text({
          label: 'Client claim',
          says: 'The claim that names the client.',
          example: 'azp',
          max: 100,
          default: 'azp',
        }),
        claims: list(
          object(
            { label: 'Required claim', says: 'A claim that must have a value.' },
            {
              name: claim,
              value: text({ label: 'Value', says: 'What it must be.', example: 'north', max: 300 }),
            },
          ),
          {
            label: 'Required claims',
            says: 'Claims that must have a value beside those above.',
            max: 20,
            default: [],
          },
        ),
      },
    ),
  },
)

export type AuthMethod = ValueOf<typeof method>

const authenticationConfig = variants(
  { label: 'Authentication', says: 'Whose requests are taken.' },
  {
    none: object(
      { label: 'None', says: 'Everybody’s.' },
      {
        reason: text({
          label: 'Reason',
          says: 'Why nobody has to say who they are; it stands in the register.',
          example: 'Open data',
          max: 500,
        }),
      },
    ),
    credentials: object(
      { label: 'Credentials', says: 'Of clients that show what is asked for.' },
      {
        anyOf: list(
          object(
            { label: 'Alternative', says: 'Everything in it must be there.' },
            {
              allOf: list(method, {
                label: 'Together',
                says: 'What must be there together.',
                min: 1,
                max: 4,
              }),
            },
          ),
          { label: 'Alternatives', says: 'One of them is enough.', min: 1, max: 8 },
        ),
        hint: optional(
          text({
            label: 'Hint',
            says: 'What somebody without a credential is told beside the 401.',
            example: 'Keys are issued by Developer Services',
            max: 300,
          }),
        ),
      },
    ),
  },
)

export type Authentication = ValueOf<typeof authenticationConfig>

/** That an API key in a header is enough. */
export const apiKeyIn = (name: string): Authentication => ({
  kind: 'credentials',
  anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name }] }],
})

/** Whether keys that were issued are of use: some credential is one, or is shown with one. */
export const takesKeys = (config: Authentication | undefined): boolean =>
  methodsOf(config).some(({ kind }) => kind === 'api-key' || kind === 'basic')

/** How a request shows a credential in the first way that is asked for: headers, and a parameter of the query. */
export function credentialFields(
  config: Authentication | undefined,
  credential: string,
): { headers: Record<string, string>; query?: { name: string; value: string } } {
  const [method] = methodsOf(config)
  if (method?.kind === 'client-certificate') return { headers: {} }
  if (method?.kind === 'jwt') return { headers: { Authorization: `Bearer ${credential}` } }
  if (method?.kind === 'basic') {
    const bytes = new TextEncoder().encode(credential)
    return { headers: { Authorization: `Basic ${btoa(String.fromCharCode(...bytes))}` } }
  }
  const name = method?.name ?? 'X-Api-Key'
  if (method?.in === 'query') return { headers: {}, query: { name, value: credential } }
  return method?.in === 'cookie'
    ? { headers: { Cookie: `${name}=${credential}` } }
    : { headers: { [name]: credential } }
}

/** Whether nobody has to show a credential. */
export const isOpen = (config: Authentication | undefined) => config?.kind !== 'credentials'

/** Every credential that may be asked for. */
export const methodsOf = (config: Authentication | undefined): AuthMethod[] =>
  config?.kind === 'credentials' ? config.anyOf.flatMap(({ allOf }) => allOf) : []

/** `key in X-Api-Key`. */
export function methodWords(method: AuthMethod): string {
  if (method.kind === 'api-key')
    return method.in === 'header' ? `key in ${method.name}` : `key in ${method.in} ${method.name}`
  if (method.kind === 'basic') return 'HTTP Basic'
  if (method.kind === 'client-certificate') return 'client certificate'
  return `JWT from ${URL.parse(method.issuer)?.host ?? method.issuer}`
}

const alternativeWords = ({ allOf }: { allOf: AuthMethod[] }) =>
  allOf.map(methodWords).join(' with ')

function noteOf(methods: AuthMethod[]): string {
  const jwt = methods.find((one) => one.kind === 'jwt')
  if (!jwt) return 'a request without one is answered 401'
  const audience =
    jwt.audience.length > 0 ? `for ${listed(jwt.audience, 'or')}` : 'for any audience'
  return `${audience}; client = ${jwt.client}; clocks may be ${duration(jwt.skewSeconds)} apart`
}

export const authentication = policyKind({
  resource: 'AuthenticationPolicy',
  step: 'authenticate',
  title: 'Authentication',
  says: 'Asks requests for a credential and finds out which client sends them. Alternatives are tried in order; what stands together in one must all be there, and must name the same client. A request without any is answered 401 with a WWW-Authenticate field for each way (RFC 9110, section 11.6.1). Credentials are not sent on to backends, except tokens.',
  config: authenticationConfig,
  words(config) {
    if (config.kind === 'none') return { text: 'no credential', note: config.reason }
    return {
      text: someOf(config.anyOf.map(alternativeWords)).replace(' and ', ', or '),
      note: noteOf(config.anyOf.flatMap(({ allOf }) => allOf)),
    }
  },
  misfits(config) {
    if (config.kind === 'none') return []
    return config.anyOf.flatMap(({ allOf }, index) => {
      const readers = allOf.map((one) =>
        one.kind === 'api-key'
          ? `${one.in} ${canonicalName(one.name)}`
          : one.kind === 'client-certificate'
            ? 'the handshake'
            : 'header authorization',
      )
      const twice = readers.find((reader, n) => readers.indexOf(reader) !== n)
      return twice === undefined
        ? []
        : [
            {
              field: `anyOf.${index}.allOf`,
              message: `Two credentials would be read from ${twice}`,
            },
          ]
    })
  },
  loosens(outer, inner) {
    if (outer.kind === 'none') return undefined
    if (inner.kind === 'none') return 'it asks for no credential'
    const known = outer.anyOf.map(({ allOf }) => new Set(allOf.map(canonical)))
    const looser = inner.anyOf.find(({ allOf }) => {
      const asked = new Set(allOf.map(canonical))
      return !known.some((needed) => [...needed].every((one) => asked.has(one)))
    })
    return looser && `${alternativeWords(looser)} is enough for it`
  },
})
