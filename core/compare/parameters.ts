import type { Operation, Parameter } from '../contract/model'
import { invalidity } from '../contract/validate'
import { areAlike } from './alike'
import { below } from './normal'
import type { Here, Teller } from './teller'
import { writingOf, writtenAs } from './writing'

const labelOf = (parameter: Parameter) => `${parameter.in} ${parameter.name}`

/** A path parameter may be called otherwise: it is known by its place in the path. */
function keysOf({ path, parameters }: Operation): Map<string, Parameter> {
  const order = [...path.matchAll(/\{([^}]*)\}/g)].map(([, name]) => name)
  const keyOf = (parameter: Parameter) => {
    if (parameter.in === 'path' && order.includes(parameter.name))
      return `path ${order.indexOf(parameter.name)}`
    // Header names are compared without case (RFC 9110, section 5.1).
    return parameter.in === 'header' ? `header ${parameter.name.toLowerCase()}` : labelOf(parameter)
  }
  return new Map(parameters.map((parameter) => [keyOf(parameter), parameter]))
}

/** What became of the parameters of an operation. */
export function compareParameters(
  teller: Teller,
  here: Here,
  old: Operation,
  now: Operation,
): void {
  const [before, after] = [keysOf(old), keysOf(now)]
  const gone = [...before].filter(([key]) => !after.has(key)).map(([, parameter]) => parameter)
  for (const [key, is] of after) {
    const was = before.get(key)
    if (was) {
      compareOne(teller, here, old, was, is)
      continue
    }
    const former = gone.findIndex((other) => isFormer(teller, other, is))
    if (former !== -1) {
      const [same] = gone.splice(former, 1)
      renamed(teller, here, old, same!, is)
      continue
    }
    teller.message(
      here,
      'request',
      {
        kind: 'added',
        part: 'parameter',
        name: labelOf(is),
        is: is.required,
        before: old.at,
        after: is.at,
      },
      { narrows: is.required && is.in !== 'path' },
      () => teller.requestOf(here, old),
    )
  }
  for (const was of gone)
    teller.tell(here, {
      effect: 'risky',
      direction: 'request',
      kind: 'removed',
      part: 'parameter',
      name: labelOf(was),
      before: was.at,
      after: now.at,
      ...(was.deprecated && { was: 'deprecated' }),
      undecided: 'what is sent in it has no meaning any more',
    })
}

/** Whether one parameter became another: it has another name that is alike, or is sent in another part of the request. */
function isFormer(teller: Teller, was: Parameter, is: Parameter): boolean {
  if (was.in === 'path' || is.in === 'path') return false
  const isAlike = was.in === is.in ? areAlike(was.name, is.name) : was.name === is.name
  return isAlike && teller.schemas.isQuiet(written(was), written(is))
}

const schemaOf = ({ schema, content }: Parameter) => schema ?? content?.[0]?.schema
const written = (parameter: Parameter) => ({
  schema: schemaOf(parameter) ?? true,
  at: below(parameter.at, 'schema'),
})

function renamed(teller: Teller, here: Here, old: Operation, was: Parameter, is: Parameter): void {
  const told = {
    kind: was.in === is.in ? ('renamed' as const) : ('moved' as const),
    part: 'parameter' as const,
    name: labelOf(is),
    was: labelOf(was),
    is: labelOf(is),
    before: was.at,
    after: is.at,
  }
  if (is.required)
    teller.message(here, 'request', told, { narrows: true, widens: was.required }, () =>
      teller.requestOf(here, old, { [was.name]: teller.sample(schemaOf(was)) }),
    )
  else
    teller.tell(here, {
      ...told,
      effect: 'risky',
      direction: 'request',
      undecided: `what is sent as ${labelOf(was)} has no meaning any more`,
    })
}

function compareOne(
  teller: Teller,
  here: Here,
  old: Operation,
  was: Parameter,
  is: Parameter,
): void {
  const place = { part: 'parameter' as const, name: labelOf(is), before: was.at, after: is.at }
  if (was.name !== is.name && was.in === 'path') teller.said(here, place, 'name', was.name, is.name)
  if (was.required !== is.required)
    teller.message(
      here,
      'request',
      { ...place, kind: 'changed', keyword: 'required', was: was.required, is: is.required },
      { narrows: is.required, widens: was.required },
      () => teller.requestOf(here, old, {}, was.name),
    )
  compareWriting(teller, here, old, place, was, is)
  for (const keyword of ['description', 'deprecated'] as const)
    teller.said(here, place, keyword, was[keyword], is[keyword])
  teller.said(here, place, 'examples', was.examples, is.examples)
  teller.values(here, 'request', { ...place, was: schemaOf(was), is: schemaOf(is) }, (value) =>
    teller.requestOf(here, old, { [was.name]: value }),
  )
}

/** A different writing breaks a request where the same value is sent as another text, which shows it. */
function compareWriting(
  teller: Teller,
  here: Here,
  old: Operation,
  place: { part: 'parameter'; name: string; before: string; after: string },
  was: Parameter,
  is: Parameter,
): void {
  const [a, b] = [writingOf(was), writingOf(is)]
  const value = several(teller, was)
  const texts = [a, b].map((writing) => writtenAs(writing, was.name, value))
  for (const keyword of ['style', 'explode'] as const) {
    if (a[keyword] === b[keyword]) continue
    const told = { ...place, kind: 'changed' as const, keyword, was: a[keyword], is: b[keyword] }
    if (value === undefined || texts.includes(undefined))
      teller.tell(here, {
        ...told,
        effect: 'risky',
        direction: 'request',
        undecided: 'the same value may be written in another way',
      })
    else
      teller.message(here, 'request', told, { narrows: texts[0] !== texts[1] }, () =>
        teller.requestOf(here, old, { [was.name]: texts[0] }),
      )
  }
  for (const keyword of ['allowReserved', 'allowEmptyValue'] as const)
    if (a[keyword] !== b[keyword])
      teller.tell(here, {
        ...place,
        effect: 'risky',
        direction: 'request',
        kind: 'changed',
        keyword,
        was: a[keyword],
        is: b[keyword],
        undecided: 'the same value may be written in another way',
      })
}

/** A value of a parameter, with two items where it may have two; undefined where nobody knows of what type it is. */
function several(teller: Teller, parameter: Parameter): unknown {
  const schema = schemaOf(parameter)
  const sample = schema === undefined ? undefined : teller.sample(schema)
  if (!Array.isArray(sample) || sample.length !== 1) return sample
  const two = [sample[0] as unknown, sample[0] as unknown]
  return invalidity(teller.before, two, schema) === undefined ? two : sample
}
