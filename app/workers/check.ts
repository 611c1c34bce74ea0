import { examine, type Examination } from '~~/core/definition'
import { estateOf, type EstatePart } from '~~/core/rules/estate'
import { atVersion, type ApiFacts, type Edition } from '~~/core/rules/model'
import { asksForWords } from '~~/core/rules/spelling'
import { readDefinition } from '~~/core/formats/read'
import { fixDefinition, type Fixed, type FixChoice } from '~~/core/fix'
import { complete, type Completion } from '~~/core/complete'
import { readText, type Syntax, type TextReading } from '~~/core/text/read'
import { besideIn } from '~~/core/text/documents'
import { dictionary } from './dictionary'

export interface CheckedText {
  text: string
  file: string
  /** The texts of the other files by name. */
  others: Map<string, string>
  edition: Edition
  facts: ApiFacts
  estate: EstatePart[]
}

export interface CheckRequest extends CheckedText {
  ask: 'check'
  number: number
}

/** Asks what a fix would do: at the findings with these keys, or everywhere. */
export interface FixRequest extends CheckedText {
  ask: 'fix'
  number: number
  choice: FixChoice
}

/** Asks what may be written at an offset. */
export interface CompleteRequest {
  ask: 'complete'
  number: number
  file: string
  text: string
  offset: number
  syntax: Syntax
}

export interface CompleteReply {
  answer: 'complete'
  number: number
  completion: Completion | undefined
}

export interface CheckReply {
  answer: 'check'
  number: number
  examination: Examination
}

/** What a fix would make of each text that it changes. */
export interface FixReply extends Fixed {
  answer: 'fix'
  number: number
}

/** The same engine as on the server, beside the page's main thread. */
self.onmessage = async ({ data }: MessageEvent<CheckRequest | FixRequest | CompleteRequest>) => {
  if (data.ask === 'complete') {
    self.postMessage(completed(data))
    return
  }
  const { facts, estate, edition } = data
  const isWord = asksForWords(edition.rules) ? await dictionary() : undefined
  const known = { facts, estate: estateOf(estate, facts.api), ...(isWord && { isWord }) }
  self.postMessage(data.ask === 'check' ? checked(data, known) : fixed(data, known))
}

/** The last text of each file that could be read: the names that are suggested come from there. */
const readable = new Map<string, TextReading>()

function completed({ number, file, text, offset, syntax }: CompleteRequest): CompleteReply {
  const reading = readText({ file, text })
  if (reading.readable) readable.set(file, reading)
  const completion = complete(text, offset, syntax, readable.get(file))
  return { answer: 'complete', number, completion }
}

type Surroundings = Parameters<typeof examine>[2]

function checked(request: CheckRequest, known: Surroundings): CheckReply {
  const { number, text, file, others, edition } = request
  const examination = examine({ file, text }, edition, known, besideIn(others))
  return { answer: 'check', number, examination }
}

function fixed(request: FixRequest, { facts, estate }: Surroundings): FixReply {
  const { number, text, file, others, edition, choice } = request
  const reading = readDefinition({ file, text }, besideIn(others))
  const version = reading.readable ? reading.contract.version : ''
  const circumstances = atVersion(facts, version)
  return {
    answer: 'fix',
    number,
    ...fixDefinition(
      reading,
      edition,
      { isWord: undefined, circumstances, ...(estate && { estate }) },
      choice,
    ),
  }
}
