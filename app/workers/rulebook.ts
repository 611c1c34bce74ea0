import { readRulebook, type RulebookReading } from '~~/core/rules/rulebook'
import { runSamples, type SampleResult } from '~~/core/rules/samples'
import { asksForWords, wordTest } from '~~/core/rules/spelling'

export interface RulebookRequest {
  number: number
  text: string
  /** The rule whose samples are run; all of them where absent. */
  rule: string | undefined
  /** The domain and words of the rulebook that it extends. */
  base: { domain: string; words: string[] }
}

export interface RulebookReply {
  number: number
  reading: RulebookReading
  samples: Record<string, SampleResult[]>
}

let isWord: ((word: string) => boolean) | undefined

async function dictionary() {
  if (isWord) return
  const response = await fetch('/api/v1/dictionary').catch(() => undefined)
  if (response?.ok) isWord = wordTest(new Set((await response.text()).split('\n')))
}

/** Reads a rulebook while it is being written, and runs its samples, beside the page's main thread. */
self.onmessage = async ({ data }: MessageEvent<RulebookRequest>) => {
  const { number, text, rule, base } = data
  const reading = readRulebook({ file: 'rulebook.yaml', text })
  const samples: Record<string, SampleResult[]> = {}
  if (reading.rulebook) {
    const { domain, words, rules } = reading.rulebook
    const book = { domain: domain || base.domain, words: [...base.words, ...words] }
    const run = rule === undefined ? rules : rules.filter(({ id }) => id === rule)
    if (asksForWords(run)) await dictionary()
    for (const one of run) samples[one.id] = runSamples(one, book, isWord)
  }
  const reply: RulebookReply = { number, reading, samples }
  self.postMessage(reply)
}
