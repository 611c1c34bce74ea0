import { CallsQuery } from './traffic'
import { StepItem } from './desk'
import { choice, flag, many, moment, text, texts, whole } from './fields'

export class RequestQuery extends CallsQuery {
  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string

  @text({ says: 'Only of this version.', example: '2.4.0', optional: true })
  version?: string
}

/** One request that a gateway answered, without what was in it. Times in milliseconds. */
export class RequestItem {
  @text({ says: 'As the gateway named it, in X-Request-Id.', example: '5f0c…' })
  request!: string

  @moment({ says: 'When it ended.' })
  at!: string

  @text({ says: 'The gateway.', example: 'north-edge' })
  gateway!: string

  @text({
    says: 'The API; absent where no placement took it.',
    example: 'meter-readings',
    optional: true,
  })
  api?: string

  @text({ says: 'The placement; empty where none took it.', example: 'meter-readings-live-1' })
  placement!: string

  @text({ says: 'The version.', example: '3.9.0' })
  version!: string

  @text({ says: 'The stage.', example: 'Live' })
  stage!: string

  @text({
    says: 'The operation, or method and shape of the path.',
    example: 'GET /areas',
    max: 3000,
  })
  operation!: string

  @text({ says: 'The client; empty where nobody knows.', example: 'Flood Board' })
  client!: string

  @text({ says: 'As much of its address as the log policy keeps.', example: '10.1.4.0/24' })
  address!: string

  @whole({ says: 'The status.', example: 200 })
  status!: number

  @text({ says: 'The step that stopped it; empty where it went all the way.', example: 'limit' })
  step!: string

  @text({ says: 'The policy that did.', example: 'rate' })
  policy!: string

  @whole({ says: 'How long it took.', example: 31, max: 1e12 })
  ms!: number

  @whole({ says: 'Until the backend’s response began.', example: 28, max: 1e12, optional: true })
  upstreamMs?: number

  @whole({ says: 'Bytes from the client, heads included.', example: 300, max: 1e15 })
  bytesIn!: number

  @whole({ says: 'Bytes to the client, heads included.', example: 9000, max: 1e15 })
  bytesOut!: number

  @text({ says: 'The media type of the request’s body; empty where there was none.', example: '' })
  requestType!: string

  @text({ says: 'The media type of the response’s body.', example: 'application/json' })
  responseType!: string

  @texts({ says: 'Names of the query parameters that were sent.', example: ['limit'] })
  query!: string[]

  @texts({
    says: 'Names of the members of the body that were sent, where a step looked.',
    example: [],
  })
  members!: string[]

  @choice(['request', 'response', 'both'], {
    says: 'Which messages broke the definition; absent where none did.',
    optional: true,
  })
  breaks?: 'request' | 'response' | 'both'
}

export class RequestDetail extends RequestItem {
  @many(() => StepItem, {
    says: 'Its whole way, while the gateway still has it in its log.',
  })
  steps!: StepItem[]

  @text({ says: 'Why there are no steps; empty where there are.', example: '', max: 500 })
  trouble!: string

  @flag({ says: 'Whether it was found in the log of the gateway alone, and was not kept.' })
  isLogged!: boolean
}
