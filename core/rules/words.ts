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

const comma = 44
const semicolon = 59

/**
 * The words of a text that a dictionary should know: no names, which have a capital within a sentence or several; no
 * code, addresses, numbers or markup.
 */
export function proseWords(text: string): string[] {
  const found: string[] = []
  const plain = text.includes('`') ? text.replace(/`[^`]*`/g, ' x1 ') : text
  let begins = true
  for (const token of plain.split(/\s+/)) {
    if (token === '') continue
    const starts = begins
    // Most of a text is this, and need not be looked at more closely.
    if (/^[A-Za-z][a-z]+[,.;:!?]?$/.test(token)) {
      const end = token.charCodeAt(token.length - 1)
      const isMarked = end < 97
      begins = isMarked && end !== comma && end !== semicolon
      if (starts || token.charCodeAt(0) >= 97) found.push(isMarked ? token.slice(0, -1) : token)
      continue
    }
    begins = /[.!?:*#-]["”)]*$/.test(token)
    if (/[\d_/\\{}<>=@]|[^\s.]\.[^\s.]/.test(token)) continue
    const word = token
      .replace(/^[^\p{L}]+|[^\p{L}]+$/gu, '')
      .replace(/[’']s$/, '')
      .replaceAll('’', "'")
    const capitals = word.replace(/[^\p{Lu}]+/gu, '').length
    if (
      word.length > 1 &&
      (capitals === 0 || (capitals === 1 && starts && /^\p{Lu}/u.test(word)))
    ) {
      found.push(word)
    }
  }
  return found
}
