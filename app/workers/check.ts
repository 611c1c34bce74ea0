import { examine, type Examination } from '~~/core/definition'
import { estateOf, type EstatePart } from '~~/core/rules/estate'
import { atVersion, type ApiFacts, type Edition, type Fix } from '~~/core/rules/model'
import { asksForWords, wordTest } from '~~/core/rules/spelling'
import { applySplices } from '~~/core/edit/change'
import { readDefinition } from '~~/core/formats/read'
import { planFix } from '~~/core/rules/fix'
import { besideIn } from '~~/core/text/documents'

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
  rule: string
  fix: Fix
  keys: string[] | undefined
}

export interface CheckReply {
  answer: 'check'
  number: number
  examination: Examination
}

let isWord: ((word: string) => boolean) | undefined

/** The dictionary comes once, and only where a rule asks for it; without it spelling is left to the server. */
const dictionary = fetchWords()
async function fetchWords() {
  const response = await fetch('/api/v1/dictionary').catch(() => undefined)
  if (response?.ok) isWord = wordTest(new Set((await response.text()).split('\n')))
}

/** What a fix would make of each text that it changes. */
export interface FixReply {
  answer: 'fix'
  number: number
  places: number
  faults: string[]
  texts: { file: string; text: string }[]
}

/** The same engine as on the server, beside the page's main thread. */
self.onmessage = async ({ data }: MessageEvent<CheckRequest | FixRequest>) => {
  const { facts, estate, edition } = data
  if (asksForWords(edition.rules)) await dictionary
  const known = { facts, estate: estateOf(estate, facts.api), ...(isWord && { isWord }) }
  self.postMessage(data.ask === 'check' ? checked(data, known) : fixed(data, known))
}

type Surroundings = Parameters<typeof examine>[2]

function checked(request: CheckRequest, known: Surroundings): CheckReply {
  const { number, text, file, others, edition } = request
  const examination = examine({ file, text }, edition, known, besideIn(others))
  return { answer: 'check', number, examination }
}

function fixed(request: FixRequest, { facts, estate, isWord: word }: Surroundings): FixReply {
  const { number, text, file, others, edition, rule: id, fix, keys } = request
  const nothing = { answer: 'fix' as const, number, places: 0, texts: [] }
  const reading = readDefinition({ file, text }, besideIn(others))
  const rule = edition.rules.find((candidate) => candidate.id === id)
  if (!reading.readable || !rule) {
    return { ...nothing, faults: ['The text has to be readable before it can be mended'] }
  }
  const { documents, contract } = reading
  const surroundings = {
    circumstances: atVersion(facts, contract.version),
    domain: edition.domain,
    words: edition.words,
    estate: estate ?? { basePaths: {}, schemas: {} },
    isWord: word,
  }
  const plan = planFix(documents, contract, surroundings, rule, fix, keys && new Set(keys))
  return {
    ...nothing,
    places: plan.places,
    faults: plan.faults,
    texts: plan.files.map(({ file: name, splices }) => ({
      file: name,
      text: applySplices(documents.get(name)!.text, splices),
    })),
  }
}
