import { hashed, RecentStrings } from '../text/recent'

/** The words a name is made of, in lower case: `meterPoint_id` gives meter, point, id. */
export const wordsOf = (name: string): string[] =>
  name.match(/\p{Lu}+(?!\p{Ll})|\p{Lu}?\p{Ll}+|\d+/gu)?.map((word) => word.toLowerCase()) ?? []

const verbs = new Set(
  'accept acknowledge activate add adjust allocate amend apply approve archive assign attach authorise authorize book calculate cancel capture change check claim clear clone close complete compare confirm connect convert copy count create deactivate delete describe detach disable discard dismiss dispatch download edit enable end enrol enter escalate estimate examine exchange execute export extend fetch fill find finish forward generate get give grant hold import inspect install invite issue join keep leave link list load lock log mark match merge move notify offer open order pause pay place poll post preview print process promote propose publish put query quote raise read reassign rebook recalculate receive reconcile record redeem refresh refund refuse register reject release remove rename renew reopen reorder repair replace replay reply report request require reschedule resend reserve reset resolve restart restore resume retire retry return reverse review revoke rotate run save scan schedule search see select send set settle share show sign skip split start stop store stream submit subscribe summarise suspend swap switch sync take tell test track transfer trigger try unassign unlink unlock unsubscribe update upload validate verify view visit void wait withdraw write'.split(
    ' ',
  ),
)

/** Whether a word is a verb that an operation may begin with. */
export const isVerb = (word: string): boolean => verbs.has(word)

const placeholders =
  /^\s*(?:todo|tbd|tba|fixme|xxx+|n\/?a|none|null|undefined|string|description|summary|title|text|test|lorem ipsum[^]*|\.+|-+|\?+)\s*[.!:]?\s*$/i

/** Whether a text only holds a place for one. */
export const isPlaceholder = (text: string): boolean =>
  text !== '' && (placeholders.test(text) || /\b(?:TODO|FIXME|lorem ipsum)\b/.test(text))

const blank = 32
const comma = 44
const semicolon = 59

/** The end of what begins at an offset: the next blank, line break or the like, or the end of the text. */
function tokenEnd(text: string, start: number): number {
  let at = start
  while (at < text.length && text.charCodeAt(at) > blank) at++
  return at
}

const isSmall = (code: number) => code >= 97 && code <= 122
const isCapital = (code: number) => code >= 65 && code <= 90
const endsPart = (code: number) => code === comma || code === semicolon
const endsSentence = (code: number) => code === 46 || code === 58 || code === 33 || code === 63

/** Where the letters end of a token that is nothing but a plain word and at most one mark behind it; or else 0. */
function plainWordEnd(text: string, start: number, end: number): number {
  const first = text.charCodeAt(start)
  if (!isSmall(first) && !isCapital(first)) return 0
  let at = start + 1
  while (at < end && isSmall(text.charCodeAt(at))) at++
  if (at === start + 1) return 0
  if (at === end) return at
  const mark = text.charCodeAt(at)
  return at === end - 1 && (endsPart(mark) || endsSentence(mark)) ? at : 0
}

/** Words that were looked up before, told without being cut out of their text. */
export class KnownWords {
  private readonly recent = new RecentStrings(4096)

  add(word: string): void {
    this.recent.keep(word, hashOf(word, 0, word.length))
  }

  has(text: string, start: number, end: number): boolean {
    return this.recent.find(text, start, end, hashOf(text, start, end)) !== undefined
  }
}

function hashOf(text: string, start: number, end: number): number {
  let hash = 0
  for (let at = start; at < end; at++) hash = hashed(hash, text.charCodeAt(at))
  return hash
}

/**
 * The words of a text that a dictionary should know, but for those that are known already: no names, which have a
 * capital within a sentence or several; no code, addresses, numbers or markup.
 */
export function proseWords(text: string, known?: KnownWords): string[] {
  const found: string[] = []
  const code = text.includes('`') ? text.replace(/`[^`]*`/g, ' x1 ') : text
  // The few blanks beyond ASCII are made plain ones, so that what follows need not know them.
  const plain = /[^\0-\x7f]/.test(code) ? code.replace(/[\s\x7f-\x9f]/g, ' ') : code
  let begins = true
  for (let start = 0, end; start < plain.length; start = end + 1) {
    end = tokenEnd(plain, start)
    if (end === start) continue
    const starts = begins
    // Most of a text is this, and need not be looked at more closely.
    const wordEnd = plainWordEnd(plain, start, end)
    if (wordEnd > 0) {
      begins = wordEnd < end && endsSentence(plain.charCodeAt(wordEnd))
      const isProse = starts || isSmall(plain.charCodeAt(start))
      if (isProse && !known?.has(plain, start, wordEnd)) found.push(plain.slice(start, wordEnd))
      continue
    }
    const token = plain.slice(start, end)
    begins = /[.!?:*#-]["”)]*$/.test(token)
    const word = proseWord(token, starts)
    if (word !== undefined) found.push(word)
  }
  return found
}

/** The word in a token with marks around it or capitals inside; none where it is a name, code or an address. */
function proseWord(token: string, starts: boolean): string | undefined {
  if (/[\d_/\\{}<>=@]|[^\s.]\.[^\s.]/.test(token)) return undefined
  const word = token
    .replace(/^[^\p{L}]+|[^\p{L}]+$/gu, '')
    .replace(/[’']s$/, '')
    .replaceAll('’', "'")
  const capitals = word.replace(/[^\p{Lu}]+/gu, '').length
  const isProse = capitals === 0 || (capitals === 1 && starts && /^\p{Lu}/u.test(word))
  return word.length > 1 && isProse ? word : undefined
}
