import {
  choice,
  list,
  object,
  optional,
  readValue,
  schemaOf,
  text,
  whole,
  type Misfit,
} from '../runtime/fields'
import type { Diagnostic } from '../text/diagnostic'
import { locate, readText, type SourceText } from '../text/read'
import { audiences } from '../rules/model'
import { carryOutConfig, type CarryOut, type Pace } from './carrying-out'
import { gateKinds, gateNames, type GateSet } from './gates'
import { count } from '../text/counted'
import { predecessorConfig, predecessorText, type Predecessor } from './succession'

/** Whose versions take a pipeline; what is left out is anybody. */
export interface Audience {
  audiences?: string[]
  teams?: string[]
  /** One of which the API has to have. */
  labels?: string[]
}

/** How versions reach the last stage: through which stages, and what stands before each. */
export interface Pipeline {
  for: Audience
  /** In order; versions begin in the first, before which nothing stands. */
  stages: { name: string; gates: GateSet; carryOut?: CarryOut; predecessor?: Predecessor }[]
}

const stageName = text({
  label: 'Name',
  says: 'A stage of the organisation.',
  example: 'Rehearsal',
  max: 40,
})

/** Each kind of gate at most once, with its configuration. */
const gates = object(
  { label: 'Gates', says: 'What stands before the stage.', default: {} },
  Object.fromEntries(gateNames.map((name) => [name, optional(gateKinds[name].config)])),
)

/** Whose versions take a pipeline. */
export const takers = object(
  { label: 'For', says: 'Whose versions take it.', default: {} },
  {
    audiences: optional(
      list(
        choice(
          audiences.map((value) => ({ value, label: value })),
          { label: 'Audience', says: 'An audience.' },
        ),
        { label: 'Audiences', says: 'Of APIs for these audiences.', min: 1, max: 3 },
      ),
    ),
    teams: optional(
      list(text({ label: 'Team', says: 'A team.', example: 'Metering', max: 100 }), {
        label: 'Teams',
        says: 'Of APIs of these teams.',
        min: 1,
      }),
    ),
    labels: optional(
      list(text({ label: 'Label', says: 'A label.', example: 'personal-data', max: 100 }), {
        label: 'Labels',
        says: 'Of APIs that have one of these labels.',
        min: 1,
      }),
    ),
  },
)

const pipelineField = object(
  { label: 'Pipeline', says: 'How versions reach the last stage.' },
  {
    pipeline: whole({
      label: 'Format',
      says: 'The edition of this format.',
      max: 1,
      default: 1,
    }),
    for: takers,
    stages: list(
      object(
        { label: 'Stage', says: 'A stage.' },
        {
          name: stageName,
          gates,
          carryOut: optional(carryOutConfig),
          predecessor: optional(predecessorConfig),
        },
      ),
      {
        label: 'Stages',
        says: 'In the order in which versions go through them.',
        min: 1,
        max: 20,
      },
    ),
  },
)

/** The JSON Schema (2020-12) of a pipeline as it may be written. */
export const pipelineSchema = (): Record<string, unknown> => ({
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Pipeline',
  ...schemaOf(pipelineField.shape),
})

/**
 * Reads the text of a pipeline, and says everything that is wrong with it, each with its place; `stages` are those there are, in
 * their order. A pipeline may take them in an order of its own.
 */
export function readPipeline(
  source: SourceText,
  stages: readonly string[],
): { pipeline: Pipeline | undefined; diagnostics: Diagnostic[] } {
  const reading = readText(source)
  if (!reading.readable) return { pipeline: undefined, diagnostics: reading.diagnostics }
  const { syntax } = reading
  if (syntax === 'xml')
    return {
      pipeline: undefined,
      diagnostics: [
        {
          ...{ severity: 'error', message: 'A pipeline is YAML or JSON' },
          ...{ file: source.file, line: 1, column: 1 },
        },
      ],
    }
  const { pipeline, misfits, beside } = checkPipeline(reading.value, stages)
  const at = (field: string) => (field === '' ? '' : `/${field.replaceAll('.', '/')}`)
  const places = locate(
    source.text,
    syntax,
    [...misfits, ...beside].map(({ field }) => at(field)),
  )
  const said = (severity: Diagnostic['severity'], { field, message }: Misfit): Diagnostic => {
    const { line, column } = places.get(at(field)) ?? { line: 1, column: 1 }
    return { severity, message, file: source.file, line, column }
  }
  const wrong = misfits.map((misfit) => said('error', misfit))
  return {
    pipeline,
    diagnostics: [
      ...reading.diagnostics,
      ...wrong.sort((a, b) => a.line - b.line),
      ...beside.map((misfit) => said('warning', misfit)),
    ],
  }
}

/** Reads a pipeline from a value, with all that is wrong with it by its fields, and what is only `beside` what is usual. */
export function checkPipeline(
  value: unknown,
  stages: readonly string[],
): { pipeline: Pipeline | undefined; misfits: Misfit[]; beside: Misfit[] } {
  const read = readValue(pipelineField, value)
  if (read.misfits) return { pipeline: undefined, misfits: read.misfits, beside: [] }
  const misfits = misplaced(read.value.stages, stages)
  const beside = nowhere(read.value.stages, stages)
  return { pipeline: misfits.length > 0 ? undefined : read.value, misfits, beside }
}

function misplaced(
  written: readonly { name: string; gates: object; carryOut?: CarryOut }[],
  known: readonly string[],
) {
  const misfits: Misfit[] = []
  for (const [index, { name, gates, carryOut }] of written.entries()) {
    const field = `stages.${index}.name`
    if (!known.includes(name))
      misfits.push({
        field,
        message: `There is no stage "${name}"; there are ${known.join(', ')}`,
      })
    else if (written.findIndex((stage) => stage.name === name) < index)
      misfits.push({ field, message: `Versions go through ${name} once` })
    const { shares, watch } = carryOut ?? {}
    if (shares && !watch)
      misfits.push({
        field: `stages.${index}.carryOut.shares`,
        message: 'Say with watch how long each share is watched',
      })
    if (shares?.some((share, n) => n > 0 && share <= shares[n - 1]!))
      misfits.push({
        field: `stages.${index}.carryOut.shares`,
        message: 'Shares grow: each is larger than the one before',
      })
    if (index === 0 && carryOut)
      misfits.push({
        field: 'stages.0.carryOut',
        message: 'Into the first stage nothing is carried: versions are placed there',
      })
    if (index === 0 && Object.keys(gates).length > 0)
      misfits.push({
        field: 'stages.0.gates',
        message: 'Nothing stands before the first stage: versions are placed there',
      })
  }
  return misfits
}

/** What versions meet that are placed where a pipeline does not begin. */
function nowhere(written: readonly { name: string }[], [first]: readonly string[]): Misfit[] {
  if (first === undefined || written[0]?.name === first) return []
  const message = `Versions are placed in ${first}; from there this pipeline leads them nowhere`
  return [{ field: 'stages.0.name', message }]
}

/** What stands before a stage of the usual pipeline, which those take who are in no other. */
export const usualGates: GateSet = {
  findings: { level: 'MUST' },
  drift: {},
  version: {},
  approval: { number: 1, roles: [], authorsToo: true },
}

/** Through all stages, with the usual gates before each but the first. */
export const usualPipeline = (stages: readonly string[]): Pipeline => ({
  for: {},
  stages: stages.map((name, index) => ({ name, gates: index === 0 ? {} : usualGates })),
})

/** Whether versions of an API take a pipeline. */
export const isFor = (
  { for: { audiences: some, teams, labels } }: Pipeline,
  api: { audience: string; team: string; labels: readonly string[] },
): boolean =>
  (some === undefined || some.includes(api.audience)) &&
  (teams === undefined || teams.includes(api.team)) &&
  (labels === undefined || labels.some((label) => api.labels.includes(label)))

/** A stage of a pipeline; undefined where it does not go through it. */
export const stageNamed = ({ stages }: Pipeline, name: string) =>
  stages.find((stage) => stage.name === name)

/** The stage after one, with what stands before it; undefined after the last, and after one that is not in the pipeline. */
export function stageAfter({ stages }: Pipeline, name: string) {
  const at = stages.findIndex((stage) => stage.name === name)
  return at === -1 ? undefined : stages[at + 1]
}

/** The stage before one; undefined before the first, and of one that is not in the pipeline. */
export function stageBefore({ stages }: Pipeline, name: string) {
  const at = stages.findIndex((stage) => stage.name === name)
  return at === -1 ? undefined : stages[at - 1]
}

/** How versions are carried into a stage, and what becomes of those before them, each in a line. */
export function carryingText({ carryOut, predecessor }: Pipeline['stages'][number]): string[] {
  return [
    ...(carryOut?.when === 'open' ? ['by itself, as soon as every gate is open'] : []),
    ...(carryOut?.watch
      ? [`each gateway watched for ${count(carryOut.watch.minutes, 'minute')}`]
      : []),
    ...(carryOut?.shares ? [`${carryOut.shares.join(', ')} and 100 % of callers in turn`] : []),
    ...(carryOut?.probes ? ['probes sent through each gateway'] : []),
    ...(predecessor ? [`earlier versions ${predecessorText(predecessor)}`] : []),
  ]
}

/** What a rollout into a stage keeps to on its way; for a change of what stands there already, watching alone. */
export function paceOf(
  { gates: { window, freeze }, carryOut }: Pipeline['stages'][number],
  isPromotion: boolean,
): Pace {
  return {
    ...(carryOut?.watch && { watch: carryOut.watch }),
    ...(carryOut?.probes && { probes: true as const }),
    ...(isPromotion && carryOut?.shares && { shares: carryOut.shares }),
    ...(isPromotion && window && { window }),
    ...(isPromotion && freeze && { freeze }),
  }
}
