import { valueAt } from '../text/pointer'

/** What runtime expressions speak of (Arazzo 1.0.1, section 4.5.6). */
export interface Known {
  inputs: Record<string, unknown>
  /** Outputs of steps by their names. */
  steps: Record<string, Record<string, unknown>>
  request?: { method: string; url: string }
  response?: {
    status: number
    /** Names in lower case. */
    headers: Record<string, string>
    /** Read where it is JSON, its text otherwise. */
    body: unknown
  }
}

/** An expression that is none, or that asks for what is not there. */
export class ExpressionError extends Error {}

const forms = [
  /^\$(?:statusCode|method|url)$/,
  /^\$response\.body(?:#(?:\/.*)?)?$/s,
  /^\$response\.header\.[!#$%&'*+.^_`|~\w-]+$/,
  /^\$inputs\.[\w.-]+$/,
  /^\$steps\.[\w-]+\.outputs\.[\w.-]+$/,
]

/** Whether a text is a runtime expression that can be asked. */
export const isExpression = (text: string): boolean => forms.some((form) => form.test(text))

/** What an expression stands for; undefined where there is nothing. */
export function valueOf(expression: string, { inputs, steps, request, response }: Known): unknown {
  if (!isExpression(expression))
    throw new ExpressionError(`"${expression.slice(0, 100)}" is no expression that is known`)
  const [head = '', ...rest] = expression.slice(1).split('.')
  if (head === 'statusCode') return response?.status
  if (head === 'method') return request?.method
  if (head === 'url') return request?.url
  if (head === 'inputs') return own(inputs, rest.join('.'))
  if (head === 'steps') return own(own(steps, rest[0]!), rest.slice(2).join('.'))
  if (expression.startsWith('$response.header.'))
    return own(response?.headers, expression.slice('$response.header.'.length).toLowerCase())
  const pointer = expression.slice('$response.body'.length).slice(1)
  return pointer === '' ? response?.body : valueAt(response?.body, pointer)
}

const own = (of: unknown, name: string): unknown =>
  typeof of === 'object' && of !== null && Object.hasOwn(of, name)
    ? (of as Record<string, unknown>)[name]
    : undefined

/** A value with every expression in it in its place: `$inputs.day`, or embedded as `{$inputs.day}`. */
export function filled(value: unknown, known: Known): unknown {
  if (typeof value === 'string') {
    if (isExpression(value)) return needed(value, known)
    return value.replace(/\{(\$[^{}]+)\}/g, (_, expression: string) => {
      const found = needed(expression, known)
      return typeof found === 'string' ? found : JSON.stringify(found)
    })
  }
  if (Array.isArray(value)) return value.map((item: unknown) => filled(item, known))
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value).map(([name, item]) => [name, filled(item, known)]),
  )
}

function needed(expression: string, known: Known): unknown {
  const found = valueOf(expression, known)
  if (found === undefined) throw new ExpressionError(`There is nothing at ${expression}`)
  return found
}

/** A simple condition, read (Arazzo 1.0.1, section 4.6.12): literals, expressions, comparisons, `!`, `&&` and `||`. */
export type Condition = (known: Known) => boolean

const token =
  /\s*(?:(\|\||&&|[!=<>]=|[!<>()])|'((?:[^']|'')*)'|(\$[^\s!=<>()&|]+)|(-?\d+(?:\.\d+)?)|(true|false|null)(?![\w.-]))/y

type Token = { op: string } | { value: unknown } | { expression: string }

function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  token.lastIndex = 0
  while (text.slice(token.lastIndex).trim() !== '') {
    const at = token.lastIndex
    const found = token.exec(text)
    if (!found)
      throw new ExpressionError(`"${text.slice(at).trim().slice(0, 60)}" is not understood`)
    const [, op, quoted, expression, number, word] = found
    if (op !== undefined) tokens.push({ op })
    else if (quoted !== undefined) tokens.push({ value: quoted.replaceAll("''", "'") })
    else if (number !== undefined) tokens.push({ value: Number(number) })
    else if (word !== undefined) tokens.push({ value: JSON.parse(word) })
    else if (isExpression(expression!)) tokens.push({ expression: expression! })
    else throw new ExpressionError(`"${expression!}" is no expression that is known`)
  }
  return tokens
}

const deepest = 30

/** Reads a condition; throws an ExpressionError that says what in it is wrong. */
export function readCondition(text: string): Condition {
  const tokens = tokensOf(text)
  let at = 0
  const isOp = (op: string) => {
    const next = tokens[at]
    const met = next !== undefined && 'op' in next && next.op === op
    if (met) at++
    return met
  }
  type Value = (known: Known) => unknown
  const truth =
    (value: Value): Condition =>
    (known) =>
      value(known) === true
  const either = (depth: number): Value => {
    let left = both(depth)
    while (isOp('||')) {
      const [one, other] = [truth(left), truth(both(depth))]
      left = (known) => one(known) || other(known)
    }
    return left
  }
  const both = (depth: number): Value => {
    let left = compared(depth)
    while (isOp('&&')) {
      const [one, other] = [truth(left), truth(compared(depth))]
      left = (known) => one(known) && other(known)
    }
    return left
  }
  const compared = (depth: number): Value => {
    const left = single(depth)
    for (const op of Object.keys(comparisons) as (keyof typeof comparisons)[])
      if (isOp(op)) {
        const right = single(depth)
        return (known) => comparisons[op](left(known), right(known))
      }
    return left
  }
  const single = (depth: number): Value => {
    if (depth > deepest) throw new ExpressionError('It is nested too deeply')
    if (isOp('!')) {
      const negated = truth(single(depth + 1))
      return (known) => !negated(known)
    }
    if (isOp('(')) {
      const inner = either(depth + 1)
      if (!isOp(')')) throw new ExpressionError('A bracket is not closed')
      return inner
    }
    const next = tokens[at++]
    if (next && 'value' in next) return () => next.value
    if (next && 'expression' in next) return (known) => valueOf(next.expression, known)
    throw new ExpressionError('Something is missing in it')
  }
  const whole = either(0)
  if (at < tokens.length) throw new ExpressionError('There is more than one condition in it')
  return truth(whole)
}

/** Texts are compared without regard to case, as the specification has it; what is not there is null. */
const folded = (value: unknown) =>
  typeof value === 'string' ? value.toLowerCase() : (value ?? null)
const ordered =
  (test: (a: number | string, b: number | string) => boolean) => (a: unknown, b: unknown) => {
    const [x, y] = [folded(a), folded(b)]
    if (typeof x === 'number' && typeof y === 'number') return test(x, y)
    return typeof x === 'string' && typeof y === 'string' && test(x, y)
  }
const comparisons = {
  '==': (a: unknown, b: unknown) => folded(a) === folded(b),
  '!=': (a: unknown, b: unknown) => folded(a) !== folded(b),
  '<=': ordered((a, b) => a <= b),
  '>=': ordered((a, b) => a >= b),
  '<': ordered((a, b) => a < b),
  '>': ordered((a, b) => a > b),
}
