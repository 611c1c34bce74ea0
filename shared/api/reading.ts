import type { Operation, Schema } from '../../core/contract/model'
import { audiences, lifecycles, type Audience, type Lifecycle } from '../words'
import { anything, choice, flag, many, text, texts, whole } from './fields'
import { PageQuery } from './catalog'

export class FileQuery {
  @text({
    says: 'Which file; the main one where absent.',
    example: 'schemas/notice.yaml',
    max: 2000,
    optional: true,
  })
  file?: string
}

export class SaveQuery {
  @text({
    says: 'The main file, where a ZIP of all files is sent.',
    example: 'customers.yaml',
    max: 200,
    optional: true,
  })
  file?: string
}

/** Where a part of a contract stands. */
export class PartPlace {
  @text({ says: 'What it is called.', example: 'GET /notices/{noticeId}', max: 2000 })
  name!: string

  @text({ says: 'The file it is written in.', example: 'supply-interruptions.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line it is written at.', example: 120 })
  line!: number
}

/** One operation of a contract, in full. */
export class OperationReading extends PartPlace {
  @anything({
    says: 'The operation as the contract has it: parameters, bodies, responses.',
    example: { method: 'get', path: '/notices/{noticeId}', parameters: [] },
  })
  detail!: Operation
}

/** One named schema of a contract, in full. */
export class SchemaReading extends PartPlace {
  @anything({
    says: 'The schema in JSON Schema 2020-12.',
    example: { type: 'object', properties: { id: { type: 'string' } } },
  })
  detail!: Schema
}

/** A body that an operation would take. */
export class BodySample {
  @text({ says: 'Its media type.', example: 'application/json', max: 300 })
  mediaType!: string

  @text({
    says: 'The example it is; absent where it was made from the schema.',
    example: 'burst-main',
    max: 300,
    optional: true,
  })
  example?: string

  @text({ says: 'The body.', example: '{"areaId":"area-12"}', max: 1_000_000 })
  body!: string
}

export class ConversionRequest {
  @choice(['bundle', 'openapi-3.2', 'openapi-3.1', 'openapi-3.0', 'swagger-2.0', 'raml-1.0'], {
    says: 'What to write: one document in the own format, or another format.',
  })
  to!: 'bundle' | 'openapi-3.2' | 'openapi-3.1' | 'openapi-3.0' | 'swagger-2.0' | 'raml-1.0'

  @flag({
    says: 'Whether every reference is written out, but for those that never end.',
    optional: true,
  })
  dereference?: boolean

  @choice(['yaml', 'json'], {
    says: 'How to write it, where the format leaves a choice.',
    optional: true,
  })
  syntax?: 'yaml' | 'json'

  @text({
    says: 'A placement of the API whose backends are named in it, as x-elm-backends.',
    example: 'supply-interruptions-trial-1',
    optional: true,
  })
  placement?: string
}

export class NotCarried {
  @text({ says: 'What the format cannot hold.', example: 'OpenAPI 3.0 has no webhooks', max: 2000 })
  message!: string

  @text({ says: 'The file it is written in.', example: 'supply-interruptions.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line, from 1.', example: 980 })
  line!: number

  @whole({ says: 'The column, from 1.', example: 3 })
  column!: number
}

export class Converted {
  @text({ says: 'A name for the file.', example: 'supply-interruptions-2.5.0.yaml' })
  file!: string

  @text({ says: 'The document.', example: 'openapi: 3.0.3\n', max: 200_000_000 })
  text!: string

  @many(() => NotCarried, { says: 'What could not be carried over.', max: 100_000 })
  losses!: NotCarried[]
}

export class SearchQuery extends PageQuery {
  @text({ says: 'What to look for.', example: 'interruption', max: 200, optional: true })
  q?: string

  @text({ says: 'Only APIs of this team.', example: 'Metering', optional: true })
  team?: string

  @text({ says: 'Only in this format.', example: 'WSDL 1.1', optional: true })
  format?: string

  @choice(audiences, { says: 'Only for this audience.', optional: true })
  audience?: Audience

  @choice(lifecycles, { says: 'Only at this point of life.', optional: true })
  lifecycle?: Lifecycle

  @text({ says: 'Only with a version in this stage.', example: 'Live', optional: true })
  stage?: string

  @text({ says: 'Only with this tag.', example: 'Notices', optional: true })
  tag?: string

  @choice(['MUST', 'SHOULD', 'MAY', 'none'], {
    says: 'Only with findings of this level, or with none at all.',
    optional: true,
  })
  level?: 'MUST' | 'SHOULD' | 'MAY' | 'none'

  @choice(['in-step', 'differs', 'unseen', 'not-placed'], {
    says: 'Only those that stand so with their gateways.',
    optional: true,
  })
  step?: 'in-step' | 'differs' | 'unseen' | 'not-placed'
}

export class SearchMatch {
  @choice(['api', 'operation', 'schema', 'tag', 'extension'], { says: 'What matched.' })
  kind!: 'api' | 'operation' | 'schema' | 'tag' | 'extension'

  @text({ says: 'What it is called.', example: 'GET /notices', max: 2000 })
  name!: string

  @text({
    says: 'The words around the match.',
    example: 'Planned and unplanned interruptions',
    max: 1000,
  })
  words!: string

  @text({ says: 'The file it is written in.', example: 'supply-interruptions.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line it is written at.', example: 120 })
  line!: number
}

export class SearchItem {
  @text({ says: 'The API’s name in addresses.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'Its title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The owning team.', example: 'Network Control' })
  team!: string

  @text({ says: 'The format.', example: 'OpenAPI 3.1' })
  format!: string

  @text({ says: 'The newest version.', example: '2.5.0' })
  version!: string

  @whole({ says: 'The newest revision.', example: 14 })
  revision!: number

  @choice(lifecycles, { says: 'Where it is in its life.' })
  lifecycle!: Lifecycle

  @many(() => SearchMatch, { says: 'Where it matched, the best first.' })
  matches!: SearchMatch[]

  @whole({ says: 'How many places matched in all.', example: 7 })
  places!: number
}

export class FacetValue {
  @text({ says: 'The value.', example: 'Metering' })
  value!: string

  @whole({ says: 'How many APIs have it.', example: 3 })
  count!: number
}

export class Facet {
  @text({ says: 'The query parameter that filters by it.', example: 'team' })
  name!: string

  @many(() => FacetValue, { says: 'Its values.' })
  values!: FacetValue[]
}

export class SearchPage {
  @many(() => SearchItem, { says: 'APIs with their matches, the best first.' })
  items!: SearchItem[]

  @whole({ says: 'How many APIs match.', example: 4 })
  total!: number

  @flag({ says: 'Whether so many places match that not all were counted.' })
  more!: boolean

  @many(() => Facet, { says: 'How the matches divide.' })
  facets!: Facet[]

  @texts({
    says: 'Words that were looked for instead of mistyped ones.',
    example: ['interruption'],
  })
  corrected!: string[]

  @text({ says: 'Where the next page begins.', example: '50', optional: true })
  nextCursor?: string
}
