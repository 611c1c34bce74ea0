import { asksForChanges } from '~~/core/rules/before'
import { readRulebook, type RulebookReading } from '~~/core/rules/rulebook'
import { runSamples, type SampleResult } from '~~/core/rules/samples'
import { asksForWords } from '~~/core/rules/spelling'
import { dictionary } from './dictionary'

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

/** Reads a rulebook while it is being written, and runs its samples, beside the page's main thread. */
self.onmessage = async ({ data }: MessageEvent<RulebookRequest>) => {
  const { number, text, rule, base } = data
  const reading = readRulebook({ file: 'rulebook.yaml', text })
  const samples: Record<string, SampleResult[]> = {}
  if (reading.rulebook) {
    const { domain, words, rules } = reading.rulebook
    const book = { domain: domain || base.domain, words: [...base.words, ...words] }
    const run = rule === undefined ? rules : rules.filter(({ id }) => id === rule)
    const isWord = asksForWords(run) ? await dictionary() : undefined
    const compare = asksForChanges(run)
      ? (await import('~~/core/compare/contracts')).compareContracts
      : undefined
    for (const one of run) samples[one.id] = runSamples(one, book, { isWord, compare })
  }
  const reply: RulebookReply = { number, reading, samples }
  self.postMessage(reply)
}
