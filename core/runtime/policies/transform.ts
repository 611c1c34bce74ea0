import { choice, list, object, optional, text, variants, type ValueOf } from '../fields'
import { canonicalName } from '../headers'
import { whyNoTemplate } from '../template'
import { whyNoChangeable, whyNoToken } from './checks'
import { policyKind } from './kind'
import { someOf } from './words'

const header = text({
  label: 'Header',
  says: 'Its name.',
  example: 'X-Trace-Id',
  max: 60,
  why: whyNoChangeable,
})
const headerValue = object(
  { label: 'Header', says: 'A header and its value.' },
  {
    name: header,
    value: text({ label: 'Value', says: 'Its value.', example: 'edge', max: 1000 }),
  },
)

/** As Gateway API's HTTPHeaderFilter has it. */
const headerChanges = (label: string) =>
  object(
    { label, says: 'Headers that are set, added and removed.' },
    {
      set: list(headerValue, {
        label: 'Set',
        says: 'Put in the place of any header of that name.',
        max: 32,
        default: [],
      }),
      add: list(headerValue, {
        label: 'Add',
        says: 'Put beside others of that name.',
        max: 32,
        default: [],
      }),
      remove: list(header, { label: 'Remove', says: 'Taken away.', max: 32, default: [] }),
    },
  )

export type HeaderChanges = ValueOf<ReturnType<typeof headerChanges>>

const headerWords = ({ set, add, remove }: HeaderChanges) => ({
  text:
    [
      ...(set.length > 0 ? [`sets ${someOf(set.map(({ name }) => name))}`] : []),
      ...(add.length > 0 ? [`adds ${someOf(add.map(({ name }) => name))}`] : []),
      ...(remove.length > 0 ? [`removes ${someOf(remove)}`] : []),
    ].join(', ') || 'changes no header',
  note: someOf([...set, ...add].map(({ name, value }) => `${name}: ${value}`)),
})

/** Both change headers; the inner one decides about names that both speak of. */
function combined(outer: HeaderChanges, inner: HeaderChanges): HeaderChanges {
  const named = byName(inner)
  const isOthers = (name: string) => !named.has(canonicalName(name))
  return {
    set: [...outer.set.filter(({ name }) => isOthers(name)), ...inner.set],
    add: [...outer.add.filter(({ name }) => isOthers(name)), ...inner.add],
    remove: [...outer.remove.filter(isOthers), ...inner.remove],
  }
}

/** What is done to each header, by its canonical name. */
function byName({ set, add, remove }: HeaderChanges): Map<string, string> {
  const done = new Map<string, string>()
  const note = (name: string, what: string) => {
    const key = canonicalName(name)
    done.set(key, `${done.get(key) ?? ''}${what};`)
  }
  for (const { name, value } of set) note(name, `set ${value}`)
  for (const { name, value } of add) note(name, `add ${value}`)
  for (const name of remove) note(name, 'remove')
  return done
}

/** What an outer scope does to a header, an inner one does not change. */
function undoes(outer: HeaderChanges, inner: HeaderChanges): string | undefined {
  const bound = byName(outer)
  for (const [name, what] of byName(inner))
    if (bound.has(name) && bound.get(name) !== what) return `it changes ${name} too`
  return undefined
}

export const requestHeaders = policyKind({
  resource: 'RequestHeaderModifier',
  step: 'transform',
  title: 'Request headers',
  says: 'Sets, adds and removes headers on the way to the backend. Scopes add to one another; the inner one decides about a header that both name. Written as Gateway API’s RequestHeaderModifier.',
  config: headerChanges('Request headers'),
  words: headerWords,
  combine: combined,
  loosens: undoes,
})

export const responseHeaders = policyKind({
  resource: 'ResponseHeaderModifier',
  step: 'respond',
  title: 'Response headers',
  says: 'Sets, adds and removes headers on the way back to the client. Scopes add to one another; the inner one decides about a header that both name. Written as Gateway API’s ResponseHeaderModifier.',
  config: headerChanges('Response headers'),
  words: headerWords,
  combine: combined,
  loosens: undoes,
})

const places = [
  { value: 'query', label: 'query parameter' },
  { value: 'header', label: 'header' },
  { value: 'cookie', label: 'cookie' },
] as const
const place = (label: string) =>
  choice(places, { label, says: 'Where it stands.', default: 'query' })
const parameterName = (label: string, example: string) =>
  text({ label, says: 'Its name.', example, max: 100, why: whyNoToken })

const mapping = variants(
  { label: 'Parameter', says: 'What becomes of one parameter.' },
  {
    rename: object(
      { label: 'Renamed', says: 'It is sent on under another name, or elsewhere.' },
      {
        in: place('In'),
        name: parameterName('Name outside', 'area'),
        toIn: place('Inside in'),
        toName: parameterName('Name inside', 'areaCode'),
      },
    ),
    constant: object(
      { label: 'Constant', says: 'The backend always gets this value, whatever was sent.' },
      {
        in: place('In'),
        name: parameterName('Name', 'channel'),
        value: text({
          label: 'Value',
          says: 'What the backend gets.',
          example: 'partner',
          max: 500,
        }),
      },
    ),
    drop: object(
      { label: 'Dropped', says: 'It is not sent on.' },
      { in: place('In'), name: parameterName('Name', 'debug') },
    ),
  },
)

export type ParameterMapping = ValueOf<typeof mapping>

const mappingWords = (one: ParameterMapping) => {
  if (one.kind === 'rename')
    return `${one.name} → ${one.toIn === one.in ? '' : `${one.toIn} `}${one.toName}`
  return one.kind === 'constant' ? `${one.name} = ${one.value}` : `drops ${one.name}`
}

export const parameters = policyKind({
  resource: 'ParameterPolicy',
  step: 'transform',
  title: 'Parameters',
  says: 'Maps parameters from outside to inside: renamed or moved, given a constant value, or dropped. Names of query parameters and cookies are compared letter by letter, those of headers without regard to case, and with - and _ as one. A header that mostly only proxies set, such as X-Original-Host, comes from outside where it is renamed, if only to its own name. Path parameters are mapped with the path, in Path and method.',
  config: object(
    { label: 'Parameters', says: 'What becomes of parameters.' },
    {
      map: list(mapping, { label: 'Mappings', says: 'Carried out in order.', min: 1, max: 50 }),
    },
  ),
  words: ({ map }) => ({ text: someOf(map.map(mappingWords)) }),
  misfits: ({ map }) =>
    map.flatMap((one, index) => {
      const inside = one.kind === 'rename' ? { in: one.toIn, name: one.toName } : one
      const names = one.kind === 'rename' ? [one, inside] : [one]
      const bad = names.find(
        (name) => name.in === 'header' && whyNoChangeable(name.name) !== undefined,
      )
      return bad
        ? [
            {
              field: `map.${index}`,
              message: `The header ${bad.name} belongs to the gateway itself`,
            },
          ]
        : []
    }),
})

export const rewrite = policyKind({
  resource: 'RewritePolicy',
  step: 'transform',
  title: 'Path and method',
  says: 'Sends a request on to another path, with another method. The path may use the path parameters of the operation; those it leaves out are not sent on. It takes the place of what becomes of the base path.',
  config: object(
    { label: 'Path and method', says: 'Which path and method the backend gets.' },
    {
      path: optional(
        text({
          label: 'Path inside',
          says: 'The path the backend gets, with the operation’s path parameters.',
          example: '/v1/zones/{areaId}/notices',
          max: 2000,
          why: (written) =>
            whyNoTemplate(written) ?? (written.includes('%') ? 'has a percent sign' : undefined),
        }),
      ),
      method: optional(
        choice(
          ['GET', 'POST', 'PUT', 'PATCH', 'DELETE'].map((value) => ({ value, label: value })),
          { label: 'Method inside', says: 'The method the backend gets.' },
        ),
      ),
    },
  ),
  words: ({ path, method }) => ({
    text: `sent on as ${[method, path].filter((part) => part !== undefined).join(' ')}`,
  }),
  misfits: ({ path, method }) =>
    path === undefined && method === undefined
      ? [{ field: 'path', message: 'Say which path or which method the backend gets' }]
      : [],
})
