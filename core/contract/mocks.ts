import { textsLike } from '../text/languages'
import { textOf } from '../text/values'
import { envelope, faultEnvelope, soapMediaTypes } from './envelopes'
import type { MediaType, Operation, QualifiedName, Response, Schema, SoapBinding } from './model'
import { sampleValue } from './samples'
import { wholeSchema, type WithSchemas } from './schemas'
import { invalidity } from './validate'
import { xmlOf } from './xml-members'
import { xmlElement } from './xml-values'

/** One of the answers that a mock chooses from: status, media type and body text. */
export interface MockAnswer {
  status: number
  mediaType?: string
  body?: string
  /** The name of the example it is; none where it was made from a schema. */
  example?: string
  /** Other statuses it also stands for: all of its class (`5XX`), or all that nothing else stands for (`default`). */
  also?: 'class' | 'all'
}

/** Bounds of what a mock keeps of one operation: answers, and bytes of text in all. */
const mostAnswers = 60
const mostBytes = 256 * 1024

const isJson = ({ type }: MediaType) => /[/+]json\b/.test(type)

/**
 * Every answer that an operation describes, from its examples where it has them and from its schemas otherwise; first
 * the one that is given where nothing is asked for: that of its first success, in JSON where there is any.
 */
export function mockAnswers(contract: WithSchemas, operation: Operation): MockAnswer[] {
  const described = operation.responses.flatMap((response) => {
    const status = statusOf(response)
    return status ? [{ response, ...status }] : []
  })
  const success = described.find(({ status, also }) => !also && status >= 200 && status < 300)
  const order = [success, ...described.filter((one) => one !== success)]
  const answers: MockAnswer[] = success ? [] : [{ status: 200 }]
  let bytes = 0
  for (const one of order) {
    if (!one) continue
    const { response, status, also } = one
    const soap = operation.soap?.[0]
    const bodies = soap
      ? [envelopeSample(contract, soap, response, status < 400)]
      : bodySamples(contract, response.content)
    for (const answer of bodies) {
      bytes += answer.body?.length ?? 0
      if (answers.length >= mostAnswers || bytes > mostBytes) return answers
      answers.push({ status, ...(also && { also }), ...answer })
    }
  }
  return answers
}

function statusOf({ status }: Response): Pick<MockAnswer, 'status' | 'also'> | undefined {
  if (/^[2-5]\d\d$/.test(status)) return { status: Number(status) }
  if (/^[2-5]XX$/i.test(status)) return { status: Number(status[0]) * 100, also: 'class' }
  return status === 'default' ? { status: 500, also: 'all' } : undefined
}

/** What an operation of SOAP answers: an envelope around its output, or around a fault. */
function envelopeSample(
  contract: WithSchemas,
  { version, output }: SoapBinding,
  { content, description = '' }: Response,
  isSuccess: boolean,
): Omit<MockAnswer, 'status'> {
  const schema = content[0]?.schema
  if (isSuccess && schema === undefined) return {}
  const mediaType = soapMediaTypes[version]
  const name = (isSuccess ? output : undefined) ?? nameOf(contract, schema)
  const xml = schema === undefined ? undefined : sampleElement(contract, schema, name)
  const body = isSuccess
    ? envelope(version, xml ?? '')
    : faultEnvelope(version, {
        isSender: true,
        reason: description,
        ...(xml !== undefined && { detail: xml }),
      })
  return { mediaType, body }
}

/** What a schema calls its element itself. */
function nameOf(contract: WithSchemas, schema: Schema | undefined): QualifiedName {
  const { namespace, name } = xmlOf(wholeSchema(contract, schema))
  return { namespace: textOf(namespace) ?? '', name: textOf(name) ?? 'detail' }
}

const sampleElement = (
  contract: WithSchemas,
  schema: Schema | undefined,
  name: QualifiedName,
): string => xmlElement(contract, schema, fitting(contract, schema), name)

/** A message that an operation of SOAP takes. */
export function requestEnvelope(
  contract: WithSchemas,
  { version, input }: SoapBinding,
  schema: Schema | undefined,
): Omit<MockAnswer, 'status'> {
  const body = input ? sampleElement(contract, schema, input) : ''
  return { mediaType: soapMediaTypes[version], body: envelope(version, body) }
}

/** Bodies of some media types: the definition’s own examples, or one made from each schema; JSON first. */
export function bodySamples(
  contract: WithSchemas,
  content: readonly MediaType[],
): Omit<MockAnswer, 'status'>[] {
  const media = [...content.filter(isJson), ...content.filter((one) => !isJson(one))]
  if (media.length === 0) return [{}]
  return media.flatMap((one) => {
    const given = one.examples.filter(({ value }) => value !== undefined)
    if (given.length > 0)
      return given.map(({ name, value }) => ({
        ...(name !== '' && { example: name }),
        mediaType: one.type,
        body: bodyText(one, value),
      }))
    return [{ mediaType: one.type, body: bodyText(one, fitting(contract, one.schema)) }]
  })
}

/** A value that fits a schema, its patterns too: with everything optional, or without where that excludes itself. */
function fitting(contract: WithSchemas, schema: Schema | undefined): unknown {
  const of = (isLean: boolean) =>
    sampleValue(contract, schema, { isLean, textLike: (pattern) => textsLike(pattern, 1)[0] })
  const whole = of(false)
  if (invalidity(contract, whole, schema) === undefined) return whole
  const lean = of(true)
  return invalidity(contract, lean, schema) === undefined ? lean : whole
}

const bodyText = ({ type }: MediaType, value: unknown) =>
  typeof value === 'string' && !type.includes('json') ? value : JSON.stringify(value)

/** What a request would rather have (RFC 7240): the status and the name of an example, where it says so. */
export interface Preference {
  code?: number
  example?: string
}

/** The answer that fits a preference, or the first where none does; `applied` says what of it was met. */
export function chooseAnswer(
  answers: readonly MockAnswer[],
  { code, example }: Preference,
): { answer: MockAnswer; applied: Preference } {
  const byCode = code === undefined ? answers : ofStatus(answers, code)
  const named = example === undefined ? undefined : byCode.find((one) => one.example === example)
  const answer = named ?? byCode[0]
  if (!answer) return { answer: answers[0] ?? { status: 200 }, applied: {} }
  return {
    answer: code === undefined ? answer : { ...answer, status: code },
    applied: { ...(code !== undefined && { code }), ...(named && { example: named.example! }) },
  }
}

/** The answers that stand for a status: its own, or those of its class, or those of every other. */
function ofStatus(answers: readonly MockAnswer[], code: number): MockAnswer[] {
  const own = answers.filter(({ status, also }) => !also && status === code)
  if (own.length > 0) return own
  const ofClass = answers.filter(
    ({ status, also }) => also === 'class' && Math.floor(code / 100) === status / 100,
  )
  return ofClass.length > 0 ? ofClass : answers.filter(({ also }) => also === 'all')
}
