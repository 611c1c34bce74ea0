import { choice, flag, many, text, whole } from './fields'

export class HeaderLine {
  @text({ says: 'The name.', example: 'content-type' })
  name!: string

  @text({ says: 'The value.', example: 'application/json', max: 8000 })
  value!: string
}

export class DeskRequest {
  @text({ says: 'The placement to send through.', example: 'supply-interruptions-trial-1', min: 1 })
  placement!: string

  @text({
    says: 'The method.',
    example: 'GET',
    pattern: /^[A-Z]{3,7}$/,
    otherwise: 'A method is a word in capitals',
  })
  method!: string

  @text({
    says: 'The outside path with its query.',
    example: '/supply/v2/areas?limit=5',
    max: 4000,
    pattern: /^\/[^\s#]*$/,
    otherwise: 'The path begins with a slash and has no spaces',
  })
  path!: string

  @text({
    says: 'The host, where it is not the placement’s.',
    example: 'trial.api.brackenmere.example',
    max: 253,
    pattern: /^[A-Za-z0-9.-]+$/,
    otherwise: 'A host has letters, digits, dots and hyphens',
    optional: true,
  })
  host?: string

  @text({
    says: 'The gateway; the first of its group where absent.',
    example: 'north-edge',
    optional: true,
  })
  gateway?: string

  @choice(['http', 'https'], {
    says: 'With or without TLS; as the placement asks for where absent.',
    optional: true,
  })
  scheme?: 'http' | 'https'

  @text({
    says: 'The credential to send: a key, a token, or name and secret with a colon between them.',
    example: 'elm_2YQ8bVZ1p6mT4nRk',
    max: 8000,
    pattern: /^[\x20-\x7e]*$/,
    otherwise: 'A credential has printable ASCII characters only',
    optional: true,
  })
  key?: string

  @many(() => HeaderLine, {
    says: 'Headers to send, besides those of the credential and the body.',
    max: 50,
    optional: true,
  })
  headers?: HeaderLine[]

  @text({
    says: 'The media type of the body.',
    example: 'application/json',
    max: 100,
    pattern: /^[\w.+-]+\/[\w.+-]+(?:; ?[\w-]+=[\w."+-]+)*$/,
    otherwise: 'A media type looks like application/json',
    optional: true,
  })
  mediaType?: string

  @text({ says: 'The body.', example: '{}', max: 1_000_000, optional: true })
  body?: string
}

export class StepItem {
  @text({ says: 'Which step.', example: 'match' })
  name!: string

  @text({ says: 'The kind of policy that decided.', example: 'rate', optional: true })
  policy?: string

  @flag({ says: 'Whether the request got past it.', example: true })
  passed!: boolean

  @text({ says: 'What happened, in words.', example: 'GET /supply/v2/areas matched', max: 4000 })
  text!: string
}

export class DeskResponse {
  @whole({ says: 'The status code.', example: 200 })
  status!: number

  @many(() => HeaderLine, { says: 'The headers.' })
  headers!: HeaderLine[]

  @text({ says: 'The body, up to a megabyte.', example: '{"items":[]}', max: 1_100_000 })
  body!: string

  @flag({ says: 'Whether the body was cut.' })
  cut!: boolean

  @whole({ says: 'The time it took, in milliseconds.', example: 12 })
  ms!: number

  @many(() => StepItem, { says: 'The request’s way through the gateway.' })
  steps!: StepItem[]

  @text({ says: 'What the response means, in words.', example: 'The backend answered.', max: 4000 })
  verdict!: string
}
