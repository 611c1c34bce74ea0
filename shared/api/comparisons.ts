import {
  changeKinds,
  effects,
  type ChangeKind,
  type Direction,
  type Effect,
  type Witness,
} from '../../core/compare/model'
import { comparisonFormats, type ComparisonFormat } from '../../core/compare/report'
import { PageQuery } from './catalog'
import { anything, choice, flag, many, one, text, texts, whole } from './fields'

/** A definition of the register. Where neither revision, version nor stage is said, it is the newest revision. */
export class ComparedSide {
  @text({ says: 'The API’s name in addresses.', example: 'meter-readings', max: 200 })
  api!: string

  @whole({ says: 'This revision.', example: 12, optional: true })
  revision?: number

  @text({ says: 'The revision of this version.', example: '3.9.2', max: 200, optional: true })
  version?: string

  @text({ says: 'What runs in this stage.', example: 'Live', max: 200, optional: true })
  stage?: string
}

export class ComparisonRequest {
  @one(() => ComparedSide, { says: 'The older definition.' })
  before!: ComparedSide

  @one(() => ComparedSide, { says: 'The newer definition.' })
  after!: ComparedSide
}

export class FileComparisonQuery extends ComparedSide {
  @text({
    says: 'What the file that is sent is called; in an archive, its main file.',
    example: 'meter-readings.yaml',
    max: 300,
    optional: true,
  })
  file?: string
}

/** One side of a comparison, as it is shown. */
export class SideShown {
  @text({ says: 'The API’s name in addresses; empty for a file.', example: 'meter-readings' })
  api!: string

  @text({ says: 'The API’s title, or the name of the file.', example: 'Meter Readings', max: 2000 })
  title!: string

  @text({ says: 'The version that the text names.', example: '3.9.2', max: 2000 })
  version!: string

  @whole({ says: 'The revision; 0 for a file.', example: 12 })
  revision!: number

  @text({ says: 'The format.', example: 'OpenAPI 3.1' })
  format!: string

  @texts({ says: 'The stages where this version stands.', example: ['Live'] })
  stages!: string[]
}

export class EffectTally {
  @whole({ says: 'Changes after which something does not work any more.', example: 5 })
  breaking!: number

  @whole({ says: 'Changes of which that cannot be said for sure.', example: 3 })
  risky!: number

  @whole({ says: 'Changes that nobody’s program notices.', example: 33 })
  safe!: number
}

export class VersionFit {
  @text({ says: 'The version number that fits the changes.', example: '4.0.0' })
  fits!: string

  @flag({ says: 'Whether the number that was given says as much.' })
  isEnough!: boolean
}

/** Whoever reaches an operation of the older definition now. */
export class Caller {
  @text({ says: 'Whose key it is; empty where no key is asked for.', example: 'Alder Homes' })
  client!: string

  @text({ says: 'The placement.', example: 'meter-readings-live' })
  placement!: string

  @text({ says: 'The stage.', example: 'Live' })
  stage!: string
}

export class ComparisonItem {
  @text({ says: 'Its name.', example: '3f2504e0-4f89-41d3-9a0c-0305e82c3301' })
  comparison!: string

  @choice(['waiting', 'running', 'done', 'failed'], { says: 'Where it stands.' })
  state!: 'waiting' | 'running' | 'done' | 'failed'

  @whole({ says: 'Operations that are compared.', example: 12 })
  done!: number

  @whole({ says: 'Operations there are; 0 until that is known.', example: 12 })
  total!: number

  @text({ says: 'Why it failed; empty otherwise.', example: '', max: 2000 })
  trouble!: string

  @one(() => SideShown, { says: 'The older definition.' })
  before!: SideShown

  @one(() => SideShown, { says: 'The newer definition.' })
  after!: SideShown

  @one(() => EffectTally, { says: 'How many changes there are.' })
  counts!: EffectTally

  @one(() => VersionFit, {
    says: 'The version number that fits; absent where the versions are no numbers.',
    optional: true,
  })
  fitting?: VersionFit

  @many(() => Caller, { says: 'Who reaches an operation that breaks.' })
  touched!: Caller[]

  @texts({ says: 'All clients who reach the older definition.', example: ['Alder Homes'] })
  clients!: string[]
}

export class ComparisonChangesQuery extends PageQuery {
  @choice(effects, { says: 'Only changes with this effect.', optional: true })
  effect?: Effect

  @text({ says: 'Only in this operation.', example: 'GET /notices', max: 2000, optional: true })
  operation?: string

  @text({
    says: 'Only in operations that this client reaches.',
    example: 'Alder Homes',
    max: 200,
    optional: true,
  })
  client?: string

  @text({ says: 'Only with these words.', example: 'required', max: 200, optional: true })
  q?: string
}

export class TextPlace {
  @text({ says: 'The file.', example: 'meter-readings.yaml', max: 2000 })
  file!: string

  @whole({ says: 'The line, from 1.', example: 212 })
  line!: number

  @whole({ says: 'The column, from 1.', example: 9 })
  column!: number
}

export class ComparisonChange {
  @whole({ says: 'Its place in the comparison, from 0.', example: 0 })
  change!: number

  @choice(effects, {
    says: 'What it does to callers: breaking where a witness shows it, risky where it cannot be decided.',
  })
  effect!: Effect

  @choice(['request', 'response', 'both', 'none'], { says: 'Which way of a message it is about.' })
  direction!: Direction

  @choice(changeKinds, { says: 'What happened.' })
  kind!: ChangeKind

  @text({ says: 'The operation; empty where it is in none.', example: 'GET /notices', max: 2000 })
  operation!: string

  @text({ says: 'What it is about.', example: 'GET /notices', max: 2000 })
  subject!: string

  @text({ says: 'The change in words.', example: 'Query parameter since is new', max: 4000 })
  message!: string

  @one(() => TextPlace, { says: 'Where it stands in the older text.', optional: true })
  before?: TextPlace

  @one(() => TextPlace, { says: 'Where it stands in the newer text.', optional: true })
  after?: TextPlace

  @whole({ says: 'Clients whose keys reach the operation now.', example: 4 })
  clients!: number

  @flag({ says: 'Whether it is reached without a key, by whoever calls.' })
  anybody!: boolean
}

export class TextWindow extends TextPlace {
  @whole({ says: 'The first line of the piece.', example: 208 })
  from!: number

  @text({ says: 'The lines around the place.', example: '- name: from', max: 20_000 })
  text!: string
}

export class ComparisonChangeDetail extends ComparisonChange {
  @anything({
    says: 'A request that was taken and is not any more, or a response that is given and was not.',
    example: { request: { method: 'GET', path: '/notices' } },
    optional: true,
  })
  witness?: Witness

  @text({ says: 'Why nothing surer can be said; empty where it is sure.', example: '', max: 2000 })
  undecided!: string

  @texts({
    says: 'What could be done instead.',
    example: ['Give from a default instead of requiring it'],
  })
  ways!: string[]

  @one(() => TextWindow, { says: 'The older text at the place.', optional: true })
  textBefore?: TextWindow

  @one(() => TextWindow, { says: 'The newer text at the place.', optional: true })
  textAfter?: TextWindow

  @many(() => Caller, { says: 'Who reaches the operation now.' })
  callers!: Caller[]
}

export class ComparisonReportQuery {
  @choice(comparisonFormats, { says: 'How to write it; Markdown otherwise.', optional: true })
  format?: ComparisonFormat
}
