import yaml from 'js-yaml'
import type { Member, ObjectShape, Shape } from '../fields'
import { ruleParts } from '../filters'
import { stepNames, steps, type StepName } from '../steps'
import { kindOf, policyKinds, policyNames, type PolicyName } from '.'

const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ')

function typeOf(shape: Shape): string {
  switch (shape.kind) {
    case 'whole':
      return `whole number from ${shape.min.toLocaleString('en')} to ${shape.max.toLocaleString('en')}${shape.unit ? `, in ${shape.unit}` : ''}`
    case 'text':
      return `text, such as \`${short(shape.example)}\``
    case 'flag':
      return 'true or false'
    case 'choice':
      return shape.of.map(({ value }) => `\`${value}\``).join(', ')
    case 'list':
      return `list of ${shape.of.kind === 'object' || shape.of.kind === 'variants' ? shape.of.label.toLowerCase() : typeOf(shape.of)}`
    case 'object':
      return 'object'
    case 'variants':
      return `object, by \`kind\`: ${Object.keys(shape.of)
        .map((kind) => `\`${kind}\``)
        .join(', ')}`
  }
}

const presence = ({ optional, default: fallback }: Member): string => {
  if (fallback !== undefined) return `\`${JSON.stringify(fallback)}\``
  return optional ? 'may be left out' : 'must be there'
}

/** The rows of a shape's members, those of nested ones with the path to them. */
function rowsOf(shape: Shape, path: string): string[] {
  if (shape.kind === 'list') return rowsOf(shape.of, `${path}[]`)
  if (shape.kind === 'variants')
    return Object.entries(shape.of).flatMap(([kind, of]) =>
      memberRows(of, path === '' ? `(${kind}) ` : `${path} (${kind}) .`),
    )
  return shape.kind === 'object' ? memberRows(shape, path === '' ? '' : `${path}.`) : []
}

const memberRows = ({ members }: ObjectShape, before: string): string[] =>
  Object.entries(members).flatMap(([name, member]) => [
    `| \`${before}${name}\` | ${cell(typeOf(member.shape))} | ${cell(presence(member))} | ${cell(member.shape.says)} |`,
    ...rowsOf(member.shape, `${before}${name}`),
  ])

/** The smallest configuration that is taken, with its defaults written out. */
function exampleOf(shape: Shape): unknown {
  switch (shape.kind) {
    case 'whole':
      return shape.min
    case 'text':
      return shape.example
    case 'flag':
      return false
    case 'choice':
      return shape.of[0]?.value
    case 'list':
      return [exampleOf(shape.of)]
    case 'object':
      return exampleObject(shape)
    case 'variants': {
      const [kind, of] = Object.entries(shape.of).at(-1)!
      return { kind, ...exampleObject(of) }
    }
  }
}

function exampleObject({ members }: ObjectShape): Record<string, unknown> {
  const needed = Object.entries(members).filter(([, { optional }]) => !optional)
  // Where nothing is needed, something is.
  const shown = needed.length > 0 ? needed : Object.entries(members)
  return Object.fromEntries(
    shown.map(([name, member]) => [name, member.default ?? exampleOf(member.shape)]),
  )
}

function section(name: PolicyName): string {
  const { title, says, resource, config } = kindOf(name)
  const written = ruleParts[name]
    ? 'Written into the rules of an `HTTPRoute`.'
    : `Written as a \`${resource}\` that is attached to an \`HTTPRoute\`, or to one of its rules.`
  return [
    `### ${title}`,
    '',
    says,
    '',
    `In a set of policies: \`${name}\`. ${written}`,
    '',
    '| member | type | default | what it is |',
    '| --- | --- | --- | --- |',
    ...rowsOf(config.shape, ''),
    '',
    '```yaml',
    yaml.dump({ [name]: exampleOf(config.shape) }, { noRefs: true, lineWidth: 100 }).trimEnd(),
    '```',
  ].join('\n')
}

const ofStep = (step: StepName) => policyNames.filter((name) => policyKinds[name].step === step)

/** The reference page of all kinds of policy, from the table they are read and run by. */
export function policyReference(): string {
  const sections = stepNames.flatMap((step) => [
    `## ${steps[step].title}`,
    steps[step].says,
    ...ofStep(step).map(section),
  ])
  return `${[
    '# Policies, step by step',
    'Made from the table that policies are checked, written, run and explained by. A policy that is not to hold at a place is said there as `off`, with a reason: `{ "cors": { "off": "Nobody calls it from a browser" } }`.',
    ...sections,
  ].join('\n\n')}\n`
}

/** Nobody reads a certificate in a table. */
const short = (example: string) => (example.length > 100 ? `${example.slice(0, 24)}…` : example)
