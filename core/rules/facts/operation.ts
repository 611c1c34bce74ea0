import { operationName, type Operation, type SoapBinding } from '../../contract/model'
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
} from './fact'
import { isListOf, parameterFacts, requestBodyFact, responseFacts } from './message'
import { wordsOf } from '../words'

const none = Object.freeze({})

const credentials = ({ security }: Operation) =>
  security.length > 0 && security.every((requirement) => Object.keys(requirement).length > 0)

const namesIn = (place: string) =>
  keptTexts<Operation>(`The names of its ${place} parameters.`, ({ parameters }) =>
    parameters.filter((parameter) => parameter.in === place).map(({ name }) => name),
  )

const fields = {
  name: keptText<Operation>('Method and path: GET /notices/{noticeId}.', operationName),
  id: text<Operation>('Its identifier; empty where it has none.', ({ id }) => id ?? ''),
  method: text<Operation>('The method in capitals.', ({ method }) => method.toUpperCase()),
  path: text<Operation>('The path, with its parameters in braces.', ({ path }) => path),
  summary: text<Operation>('Its summary.', ({ summary }) => summary ?? ''),
  description: text<Operation>('Its description.', ({ description }) => description ?? ''),
  tags: texts<Operation>('Its tags.', ({ tags }) => tags),
  deprecated: truth<Operation>('Whether it is going away.', ({ deprecated }) => deprecated),
  docs: text<Operation>(
    'The address of further documentation.',
    ({ externalDocs }) => externalDocs?.url ?? '',
  ),
  parameters: many<Operation>(
    'parameter',
    'Its parameters, those of its path among them.',
    (node, fact) => parameterFacts(fact, node),
  ),
  parameterNames: keptTexts<Operation>('The names of its parameters.', ({ parameters }) =>
    parameters.map(({ name }) => name),
  ),
  queryNames: namesIn('query'),
  pathNames: namesIn('path'),
  headerNames: namesIn('header'),
  hasBody: truth<Operation>(
    'Whether its request carries a body.',
    ({ body }) => body !== undefined,
  ),
  requestBody: one<Operation>('requestBody', 'What its request carries, or null.', (node, fact) =>
    requestBodyFact(fact, node),
  ),
  responses: many<Operation>('response', 'Its answers.', (node, fact) => responseFacts(fact, node)),
  statuses: keptTexts<Operation>('The statuses of its answers.', ({ responses }) =>
    responses.map(({ status }) => status),
  ),
  isList: keptTruth<Operation>(
    'Whether it reads a list.',
    (node, { world }) =>
      ['get', 'query'].includes(node.method) &&
      node.responses.some((response) => isListOf(world, response)),
  ),
  isSafe: truth<Operation>('Whether it only reads (RFC 9110, section 9.2.1).', ({ method }) =>
    ['get', 'head', 'options', 'trace', 'query'].includes(method),
  ),
  secured: truth<Operation>('Whether it always asks for credentials.', credentials),
  schemes: keptTexts<Operation>(
    'The names of the security schemes it asks for.',
    ({ security }) => [...new Set(security.flatMap((requirement) => Object.keys(requirement)))],
  ),
  scopes: keptTexts<Operation>('The scopes it asks for.', ({ security }) => [
    ...new Set(security.flatMap((requirement) => Object.values(requirement).flat())),
  ]),
  servers: number<Operation>(
    'How many servers it names for itself.',
    ({ servers }) => servers?.length ?? 0,
  ),
  callbacks: number<Operation>(
    'How many callbacks it describes.',
    ({ callbacks }) => callbacks.length,
  ),
  isSoap: truth<Operation>(
    'Whether it travels as SOAP.',
    ({ soap }) => soap !== undefined && soap.length > 0,
  ),
  soap: many<Operation>('soapBinding', 'How it travels as SOAP.', ({ soap = [] }, fact) =>
    soap.map((binding) => soapFact(fact, binding)),
  ),
  extensions: value<Operation>(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
}

export const operationShape = shape<Operation>(
  'operation',
  'One method on one path; in WSDL one operation of a port type or interface.',
  fields,
)
export const webhookShape = shape<Operation>(
  'webhook',
  'A request that the API sends to its consumers: a webhook or a callback.',
  fields,
)

const soapFact = (owner: Fact, binding: SoapBinding) =>
  new Fact(
    soapBindingShape,
    binding,
    owner.at,
    owner.world,
    `${binding.binding} ${binding.version}`,
    owner,
  )

export const soapBindingShape = shape<SoapBinding>(
  'soapBinding',
  'How an operation travels as SOAP.',
  {
    portType: text(
      'The port type, or interface, the operation is one of.',
      ({ portType }) => portType,
    ),
    name: text('The name of the binding.', ({ binding }) => binding),
    version: text('The version of SOAP: 1.1 or 1.2.', ({ version }) => version),
    style: text('document or rpc.', ({ style }) => style),
    use: text('literal or encoded.', ({ use }) => use),
    action: text('The SOAP action; empty where there is none.', ({ action }) => action ?? ''),
    headers: keptTexts('The names of its SOAP headers.', ({ headers }) =>
      headers.map(({ name }) => name),
    ),
    addresses: texts('Where it is served.', ({ addresses }) => addresses),
  },
)

export interface PathNode {
  path: string
  operations: Operation[]
  summary: string
  description: string
}

const segmentsOf = (path: string) => path.split('/').filter((segment) => segment !== '')
const isParameter = (segment: string | undefined) => segment?.includes('{') ?? false

export const pathShape = shape<PathNode>('path', 'A path with its operations.', {
  path: text('The path, with its parameters in braces.', ({ path }) => path),
  segments: keptTexts('What stands between the slashes.', ({ path }) => segmentsOf(path)),
  fixed: keptTexts('The segments that are no parameters.', ({ path }) =>
    segmentsOf(path).filter((segment) => !isParameter(segment)),
  ),
  parameterNames: keptTexts('The names in braces.', ({ path }) =>
    [...path.matchAll(/\{([^}]*)\}/g)].map(([, name = '']) => name),
  ),
  collections: keptTexts('The segments before a parameter: collections.', ({ path }) =>
    segmentsOf(path).filter((segment, i, all) => !isParameter(segment) && isParameter(all[i + 1])),
  ),
  words: keptTexts('The words of its fixed segments.', ({ path }) =>
    segmentsOf(path)
      .filter((segment) => !isParameter(segment))
      .flatMap(wordsOf),
  ),
  depth: number('How many segments it has.', ({ path }) => segmentsOf(path).length),
  slashAtEnd: truth(
    'Whether it ends with a slash.',
    ({ path }) => path.length > 1 && path.endsWith('/'),
  ),
  methods: keptTexts('Its methods in capitals.', ({ operations }) =>
    operations.map(({ method }) => method.toUpperCase()),
  ),
  summary: text('Its summary.', ({ summary }) => summary),
  description: text('Its description.', ({ description }) => description),
  operations: many('operation', 'Its operations.', ({ operations }, fact) =>
    operations.map((operation) => operationFact(fact, operation)),
  ),
})

export const operationFact = (owner: Fact, operation: Operation): Fact<Operation> =>
  new Fact(operationShape, operation, operation.at, owner.world, operationName(operation))
export const webhookFact = (owner: Fact, operation: Operation): Fact<Operation> =>
  new Fact(webhookShape, operation, operation.at, owner.world, operationName(operation))
