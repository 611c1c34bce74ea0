import { RegExpParser, type AST } from '@eslint-community/regexpp'
import { DFA, JS, NFA, TooManyNodesError, Words } from 'refa'

/** States of the automata that one question may make; more is not decided. */
const mostStates = 8000

/** The texts that a pattern is found in. */
type Language = NFA

const parser = new RegExpParser({ ecmaVersion: 2024 })

/** Elements whose meaning depends on what stands around them; no set of texts is made of those. */
const isContextual = (element: AST.Element): boolean => {
  switch (element.type) {
    case 'Assertion':
    case 'Backreference':
      return true
    case 'Quantifier':
      return isContextual(element.element)
    case 'Group':
    case 'CapturingGroup':
      return element.alternatives.some(({ elements }) => elements.some(isContextual))
    default:
      return false
  }
}
const isEdge = (element: AST.Element | undefined, kind: 'start' | 'end') =>
  element?.type === 'Assertion' && element.kind === kind

/** An alternative that matches whole texts: where it is not bound to an end, anything may stand there. */
function wholeAlternative({ elements }: AST.Alternative): string | undefined {
  const [begins, ends] = [isEdge(elements[0], 'start'), isEdge(elements.at(-1), 'end')]
  const inner = elements.slice(begins ? 1 : 0, ends ? -1 : undefined)
  if (inner.some(isContextual)) return undefined
  const source = inner.map(({ raw }) => raw).join('')
  return `${begins ? '' : '[^]*'}${source}${ends ? '' : '[^]*'}`
}

const languages = new Map<string, Language | undefined>()

/** Undefined where a pattern looks around, refers back, cannot be read or is too large. */
function languageOf(pattern: string): Language | undefined {
  if (!languages.has(pattern)) {
    if (languages.size > 500) languages.clear()
    languages.set(pattern, made(pattern))
  }
  return languages.get(pattern)
}

function made(pattern: string): Language | undefined {
  return withinBounds(() => {
    const { alternatives } = parser.parsePattern(pattern, undefined, undefined, { unicode: true })
    const whole = alternatives.map(wholeAlternative)
    if (whole.includes(undefined)) return undefined
    const { expression, maxCharacter } = JS.Parser.fromLiteral({
      source: whole.join('|'),
      flags: 'u',
    }).parse({ maxNodes: mostStates })
    const factory = new NFA.LimitedNodeFactory(mostStates)
    return NFA.fromRegex(expression, { maxCharacter }, {}, factory)
  })
}

/** What a question gives; undefined where it takes too much, or a pattern is none. */
function withinBounds<T>(question: () => T): T | undefined {
  try {
    return question()
  } catch (error) {
    if (error instanceof TooManyNodesError || error instanceof SyntaxError) return undefined
    // The parser of sets throws plain errors for what it does not know.
    if (error instanceof Error && !(error instanceof TypeError)) return undefined
    throw error
  }
}

const textOf = (word: readonly number[]) => String.fromCodePoint(...word)

/** The shortest texts of a language, those that people can read. */
function* textsOf(language: Language, most: number): Generator<string> {
  let count = 0
  for (const sets of language.wordSets()) {
    const word = Words.pickMostReadableWord(sets)
    if (word) yield textOf(word)
    if (++count >= most) return
  }
}

/** Texts that a pattern takes; none where it cannot be told. */
export function textsLike(pattern: string, most = 3): string[] {
  const language = languageOf(pattern)
  return language === undefined ? [] : (withinBounds(() => [...textsOf(language, most)]) ?? [])
}

/**
 * Texts that one pattern takes and the other does not: none where every text of the first is one of the second;
 * undefined where that could not be decided.
 */
export function textsBetween(taken: string, refused: string): string[] | undefined {
  const [a, b] = [languageOf(taken), languageOf(refused)]
  if (!a || !b) return undefined
  return withinBounds(() => {
    const other = DFA.fromFA(b, new DFA.LimitedNodeFactory(mostStates))
    other.complement(new DFA.LimitedNodeFactory(mostStates))
    const rest = NFA.fromIntersection(a, other, new NFA.LimitedNodeFactory(mostStates))
    return rest.isEmpty ? [] : [...textsOf(rest, 3)]
  })
}
