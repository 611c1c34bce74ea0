/** The dialects whose spellings are right: a company writes in one, and quotes others. */
const dialects = ['english', 'english/british', 'english/american'] as const

/** The words of the language, out of the lists of a dictionary by dialect. */
export function wordsFrom(lists: Record<string, string[] | undefined>): ReadonlySet<string> {
  const words = new Set<string>()
  for (const dialect of dialects) for (const word of lists[dialect] ?? []) words.add(word)
  return words
}

/** Whether any of these rules asks for the dictionary. */
export const asksForWords = (rules: { where?: string; expect: string }[]): boolean =>
  rules.some(({ where = '', expect }) => `${where} ${expect}`.includes('misspelled('))

/** Tells words of the language, also where they are put together with a hyphen, or bent in a way no list holds. */
export const wordTest = (words: ReadonlySet<string>) => {
  const known = (word: string): boolean =>
    words.has(word) ||
    endings.some(
      ([ending, instead]) =>
        word.endsWith(ending) && words.has(word.slice(0, -ending.length) + instead),
    )
  const isWord = (word: string): boolean =>
    words.has(word) || word.split(/[-']/).every((part) => part.length < 2 || known(part))
  // A few hundred words make up most of what is written, and are found faster than in the whole dictionary.
  const common = new Map<string, boolean>()
  return (word: string): boolean => {
    let answer = common.get(word)
    if (answer === undefined) {
      answer = isWord(word)
      if (common.size < mostCommon) common.set(word, answer)
    }
    return answer
  }
}

const mostCommon = 4000

const endings: [ending: string, instead: string][] = [
  ['s', ''],
  ['es', ''],
  ['ies', 'y'],
  ['ed', ''],
  ['ed', 'e'],
  ['ing', ''],
  ['ing', 'e'],
  ['ly', ''],
  ['er', 'e'],
  ['ness', ''],
]
