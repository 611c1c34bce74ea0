/** The dialects whose spellings are right: a company writes in one, and quotes others. */
const dialects = ['english', 'english/british', 'english/american'] as const

/** The words of the language, out of the lists of a dictionary by dialect. */
export function wordsFrom(lists: Record<string, string[] | undefined>): ReadonlySet<string> {
  const words = new Set<string>()
  for (const dialect of dialects) for (const word of lists[dialect] ?? []) words.add(word)
  return words
}

/** Words as one text, in order, one in a line: looked up in it without taking it apart. */
export class SortedWords {
  constructor(private readonly text: string) {}

  static of = (words: Iterable<string>) => new SortedWords([...words].sort().join('\n'))

  toString = () => this.text

  has(word: string): boolean {
    let [low, high] = [0, this.text.length]
    while (low < high) {
      const begin = this.text.lastIndexOf('\n', (low + high) >> 1) + 1
      const next = this.text.indexOf('\n', begin)
      const end = next === -1 ? this.text.length : next
      const here = this.text.slice(begin, end)
      if (here === word) return word !== ''
      if (here < word) low = end + 1
      else high = begin - 1
    }
    return false
  }
}

/** Whether any of these rules asks for the dictionary. */
export const asksForWords = (rules: { where?: string; expect: string }[]): boolean =>
  rules.some(({ where = '', expect }) => `${where} ${expect}`.includes('misspelled('))

/** Tells words of the language, also where they are put together with a hyphen, or bent in a way no list holds. */
export const wordTest = (words: Pick<ReadonlySet<string>, 'has'>) => {
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
