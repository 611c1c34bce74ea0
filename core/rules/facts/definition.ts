import { fittingVersion } from '../../compare/version'
import { layouts } from '../../formats/layout'
import type { Contact, Contract, License, SecurityScheme, Server, Tag } from '../../contract/model'
import { everyOperation } from '../../contract/parts'
import type { Circumstances } from '../model'
import {
  Fact,
  keptText,
  keptTexts,
  keptTruth,
  many,
  number,
  one,
  shape,
  text,
  texts,
  truth,
  value,
  type World,
} from './fact'
import { isError, nameOf } from './message'
import { operationFact, pathShape, webhookFact, type PathNode } from './operation'

const none = Object.freeze({})

export const contactShape = shape<Contact>('contact', 'Whom to ask.', {
  name: text('The name.', ({ name }) => name ?? ''),
  email: text('The e-mail address.', ({ email }) => email ?? ''),
  url: text('The address of a page.', ({ url }) => url ?? ''),
})

export const licenseShape = shape<Partial<License>>('license', 'On what terms it may be used.', {
  name: text('Its name.', ({ name }) => name ?? ''),
  identifier: text('Its SPDX identifier.', ({ identifier }) => identifier ?? ''),
  url: text('Its address.', ({ url }) => url ?? ''),
})

export const serverShape = shape<Server>('server', 'An address where the API is served.', {
  url: text('The address.', ({ url }) => url),
  name: text('Its name.', ({ name }) => name ?? ''),
  description: text('Its description.', ({ description }) => description ?? ''),
  scheme: text(
    'The scheme, in lower case; empty where the address is relative.',
    ({ url }) => /^([a-z][a-z0-9+.-]*):/i.exec(url)?.[1]?.toLowerCase() ?? '',
  ),
  variables: texts('The names of its variables.', ({ variables }) =>
    variables.map(({ name }) => name),
  ),
})

export const tagShape = shape<Tag>('tag', 'A tag that the definition describes.', {
  name: text('Its name.', ({ name }) => name),
  summary: text('Its summary.', ({ summary }) => summary ?? ''),
  description: text('Its description.', ({ description }) => description ?? ''),
  parent: text('The tag above it.', ({ parent }) => parent ?? ''),
  docs: text(
    'The address of further documentation.',
    ({ externalDocs }) => externalDocs?.url ?? '',
  ),
  used: truth('Whether an operation has it.', ({ name }, { world: { contract } }) =>
    [...contract.operations, ...contract.webhooks].some(({ tags }) => tags.includes(name)),
  ),
})

export const securitySchemeShape = shape<SecurityScheme>(
  'securityScheme',
  'A way to prove who calls.',
  {
    name: text('Its name.', ({ name }) => name),
    type: text(
      'apiKey, http, oauth2, openIdConnect, mutualTLS, or what its format calls it.',
      ({ type }) => type,
    ),
    description: text('Its description.', ({ description }) => description ?? ''),
    place: text('Where a key stands: header, query or cookie.', (node) => node.in ?? ''),
    parameterName: text(
      'The name of the header or parameter that carries a key.',
      ({ parameterName }) => parameterName ?? '',
    ),
    scheme: text(
      'The HTTP scheme, such as bearer, in lower case.',
      ({ scheme }) => scheme?.toLowerCase() ?? '',
    ),
    flows: keptTexts('The kinds of its OAuth flows.', ({ flows }) => flows.map(({ kind }) => kind)),
    addresses: keptTexts(
      'The addresses of its OAuth flows and of OpenID Connect.',
      ({ flows, openIdConnectUrl }) =>
        [
          ...flows.flatMap((flow) => [
            flow.authorizationUrl,
            flow.tokenUrl,
            flow.refreshUrl,
            flow.deviceAuthorizationUrl,
          ]),
          openIdConnectUrl,
        ].filter((url): url is string => url !== undefined),
    ),
    scopes: keptTexts('The names of its scopes.', ({ flows }) => [
      ...new Set(flows.flatMap(({ scopes }) => Object.keys(scopes))),
    ]),
    undescribedScopes: keptTexts('The scopes that nothing is said of.', ({ flows }) => [
      ...new Set(
        flows.flatMap(({ scopes }) =>
          Object.entries(scopes)
            .filter(([, says]) => says.trim() === '')
            .map(([name]) => name),
        ),
      ),
    ]),
    uses: number('How many operations ask for it.', ({ name }, { world: { contract } }) =>
      contract.operations.reduce(
        (sum, { security }) =>
          sum + (security.some((requirement) => Object.hasOwn(requirement, name)) ? 1 : 0),
        0,
      ),
    ),
    used: truth('Whether an operation asks for it.', ({ name }, { world: { contract } }) =>
      contract.operations.some(({ security }) =>
        security.some((requirement) => Object.hasOwn(requirement, name)),
      ),
    ),
  },
)

/** The error body that most error responses share. */
function commonErrorBody(contract: Contract): string {
  const counts = new Map<string, number>()
  for (const { responses } of contract.operations) {
    for (const { status, content } of responses) {
      const body = isError(status) ? nameOf(content[0]?.schema) : ''
      if (body !== '') counts.set(body, (counts.get(body) ?? 0) + 1)
    }
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? ''
}

export const definitionShape = shape<Contract>('definition', 'The whole contract.', {
  title: text('Its title.', ({ title }) => title),
  version: text('Its version.', ({ version }) => version),
  summary: text('Its summary.', ({ summary }) => summary ?? ''),
  description: text('Its description.', ({ description }) => description ?? ''),
  termsOfService: text('The address of its terms.', ({ termsOfService }) => termsOfService ?? ''),
  contact: one(
    'contact',
    'Whom to ask.',
    ({ contact }, fact) => new Fact(contactShape, contact ?? none, fact.at, fact.world),
  ),
  license: one(
    'license',
    'On what terms it may be used.',
    ({ license }, fact) => new Fact(licenseShape, license ?? none, fact.at, fact.world),
  ),
  docs: text(
    'The address of further documentation.',
    ({ externalDocs }) => externalDocs?.url ?? '',
  ),
  format: text('OpenAPI, Swagger, RAML, WSDL or WADL.', ({ format }) => format.name),
  formatVersion: text('The version of its format.', ({ format }) => format.version),
  servers: many('server', 'Where it is served.', (_node, { world }) => serverFacts(world)),
  tags: many('tag', 'The tags it describes.', (_node, { world }) => tagFacts(world)),
  tagNames: keptTexts('The names of the tags it describes.', ({ tags }) =>
    tags.map(({ name }) => name),
  ),
  paths: many('path', 'Its paths.', (_node, fact) => pathFacts(fact)),
  operations: many('operation', 'Its operations.', ({ operations }, fact) =>
    operations.map((operation) => operationFact(fact, operation)),
  ),
  operationIds: keptTexts('The identifiers of its operations.', ({ operations }) =>
    operations.flatMap(({ id }) => (id ? [id] : [])),
  ),
  webhooks: many('webhook', 'What it sends to consumers.', ({ webhooks }, fact) =>
    webhooks.map((hook) => webhookFact(fact, hook)),
  ),
  schemas: many('schema', 'The schemas it names.', ({ schemas }, { world }) =>
    schemas.flatMap(({ schema, at }) => world.schema(schema, at) ?? []),
  ),
  schemaNames: keptTexts('The names of its schemas.', ({ schemas }) =>
    schemas.map(({ name }) => name),
  ),
  securitySchemes: many('securityScheme', 'The ways to prove who calls.', (_node, { world }) =>
    schemeFacts(world),
  ),
  schemeNames: keptTexts('The names of its security schemes.', ({ securitySchemes }) =>
    securitySchemes.map(({ name }) => name),
  ),
  errorBody: keptText(
    'The name of the body that most of its error responses share.',
    commonErrorBody,
  ),
  mediaTypes: keptTexts('Every media type that occurs.', (contract) => mediaTypesIn(contract)),
  size: number('How many operations it has.', ({ operations }) => operations.length),
  versionBefore: text(
    'The version before, where one is known.',
    (_node, { world: { before } }) => before?.version ?? '',
  ),
  fittingVersion: keptText(
    'The version number that fits what changed since the version before; empty where none is known.',
    (_node, { world }) => fittingIn(world)?.fits ?? '',
  ),
  versionFits: keptTruth(
    'Whether the version number says as much as what changed since the version before; true where none is known.',
    (_node, { world }) => fittingIn(world)?.isEnough ?? true,
  ),
  extensions: value(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
})

const fittingIn = ({ before, contract, changes }: World) =>
  before && fittingVersion(before.version, contract.version, changes())

function mediaTypesIn(contract: Contract): string[] {
  const found = new Set<string>()
  for (const { body, responses } of everyOperation(contract)) {
    for (const { type } of body?.content ?? []) found.add(type)
    for (const { content } of responses) for (const { type } of content) found.add(type)
  }
  return [...found]
}

export const definitionFact = (world: World): Fact<Contract> =>
  new Fact(definitionShape, world.contract, '', world)

export const serverFacts = (world: World): Fact<Server>[] =>
  world.contract.servers.map(
    (server) => new Fact(serverShape, server, server.at, world, server.url),
  )

export const tagFacts = (world: World): Fact<Tag>[] =>
  world.contract.tags.map((tag) => new Fact(tagShape, tag, tag.at, world, tag.name))

export const schemeFacts = (world: World): Fact<SecurityScheme>[] =>
  world.contract.securitySchemes.map(
    (scheme) => new Fact(securitySchemeShape, scheme, scheme.at, world, scheme.name),
  )

/** The paths of a contract. One that says nothing itself stands where its operations do. */
export function pathFacts({ world }: Fact): Fact<PathNode>[] {
  const { contract } = world
  const said = new Map(contract.paths.map((item) => [item.path, item]))
  const byPath = new Map<string, Contract['operations']>()
  for (const operation of contract.operations) {
    const known = byPath.get(operation.path)
    if (known) known.push(operation)
    else byPath.set(operation.path, [operation])
  }
  const { path: placeOf } = layouts[contract.format.name]
  return [...byPath].map(([path, operations]) => {
    const item = said.get(path)
    const at = item?.at ?? placeOf?.(path) ?? operations[0]!.at
    const node = {
      path,
      operations,
      summary: item?.summary ?? '',
      description: item?.description ?? '',
    }
    return new Fact(pathShape, node, at, world, path)
  })
}

export const catalogShape = shape<Circumstances>(
  'catalog',
  'What the register knows about the API.',
  {
    api: text('Its name in addresses; empty outside of a register.', ({ api }) => api),
    team: text('The owning team.', ({ team }) => team),
    audience: text('private, partner or public.', ({ audience }) => audience),
    lifecycle: text('writing, active, deprecated or retired.', ({ lifecycle }) => lifecycle),
    stages: texts('The stages where this version lives.', ({ stages }) => stages),
    format: text(
      'OpenAPI, Swagger, RAML, WSDL or WADL.',
      (_node, { world }) => world.contract.format.name,
    ),
    today: text('The day of the check.', ({ today }) => today),
  },
)

export const organisationShape = shape<World['organisation']>(
  'organisation',
  'The organisation whose rulebook it is.',
  {
    domain: text('Its domain.', ({ domain }) => domain),
  },
)
