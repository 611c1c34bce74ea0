import { table } from '../text/values'
import { Environment, type ASTNode } from '@marcbachmann/cel-js'
import { Fact, typeLabel, type FactType } from './facts/fact'
import { shapes } from './facts/shapes'
import { library } from './library'
import { ConditionError, newMeter, spend, type Meter } from './meter'

/** What the names of an expression stand for, by type. */
export type Scope = Record<string, FactType>

/** An expression of the Common Expression Language, ready to be run over the values of its scope. */
export interface Expression {
  type: FactType
  /** Answers for the values of the scope, in its order; writes behind them in the same array. */
  run: (values: unknown[], meter: Meter) => unknown
}

type Run = (frame: unknown[], meter: Meter) => unknown

interface Part {
  type: FactType
  run: Run
}

/** Only the grammar is the library's; what it says is done here, counted and with our own functions. */
const grammar = new Environment({
  unlistedVariablesAreDyn: true,
  limits: {
    maxAstNodes: 2000,
    maxDepth: 60,
    maxListElements: 1000,
    maxMapEntries: 200,
    maxCallArguments: 12,
  },
})

/** Compiles an expression. Throws {@link ConditionError} that says what is wrong, and where in the expression. */
export function compile(expression: string, scope: Scope): Expression {
  let tree: ASTNode
  try {
    tree = grammar.parse(expression).ast
  } catch (error) {
    const { message, node: at } = error as Error & { node?: { pos?: number } }
    throw new ConditionError(firstLine(message), at?.pos)
  }
  return new Compiler(scope).part(tree)
}

const firstLine = (message: string) => message.split('\n')[0]!.trim()

/** Compiles an expression that answers yes or no. */
export function compileCondition(
  expression: string,
  scope: Scope,
): (values: unknown[], meter: Meter) => boolean {
  const { type, run } = compile(expression, scope)
  if (type !== 'truth' && type !== 'value') {
    throw new ConditionError(
      `It answers ${typeLabel(type)}, and has to answer yes or no: compare it with something`,
    )
  }
  if (type === 'truth') return run as (values: unknown[], meter: Meter) => boolean
  return (values, m) => {
    const answer = run(values, m)
    if (typeof answer !== 'boolean')
      throw new ConditionError('The condition does not answer yes or no')
    return answer
  }
}

class Compiler {
  /** Whether what is compiled now stands inside of something that is remembered as a whole. */
  private remembers = false
  private readonly names: string[]
  private readonly types: FactType[]

  constructor(scope: Scope) {
    this.names = Object.keys(scope)
    this.types = Object.values(scope)
  }

  part(node: ASTNode): Part {
    const text = this.remembers ? undefined : this.onlyText(node)
    if (!text) return this.plain(node)
    this.remembers = true
    const { type, run } = this.plain(node)
    this.remembers = false
    return { type, run: remembered(this.plain(text).run, run) }
  }

  /** What an expression with calls depends on, where that is a single text, as in `lower(property.name) == "id"`. */
  private onlyText(node: ASTNode): ASTNode | undefined {
    const texts: ASTNode[] = []
    let calls = false
    const dependsOnTexts = (part: ASTNode): boolean => {
      switch (part.op) {
        case 'value':
          return true
        case 'id':
        case '.':
          return this.isText(part) && texts.push(part) > 0
        case 'call':
        case 'rcall': {
          const args = part.op === 'call' ? part.args[1] : [part.args[1], ...part.args[2]]
          calls = true
          return isOfTexts(part.args[0]) && args.every(dependsOnTexts)
        }
        case '!_':
          return dependsOnTexts(part.args)
        case '&&':
        case '||':
        case '==':
        case '!=':
          return part.args.every(dependsOnTexts)
        default:
          return false
      }
    }
    if (!dependsOnTexts(node) || !calls) return undefined
    const [first] = texts
    return first && texts.every((other) => nameOf(other) === nameOf(first)) ? first : undefined
  }

  /** Whether a node is a name that stands for a text, or a text that the fact of that name holds. */
  private isText(node: ASTNode): boolean {
    if (node.op === 'id') return this.types[this.names.lastIndexOf(node.args)] === 'text'
    if (node.op !== '.' || node.args[0].op !== 'id') return false
    const type = this.types[this.names.lastIndexOf(node.args[0].args)]
    if (typeof type !== 'object' || !('fact' in type)) return false
    return shapes.get(type.fact)!.fields[node.args[1]]?.type === 'text'
  }

  private plain(node: ASTNode): Part {
    switch (node.op) {
      case 'value':
        return literal(node.args)
      case 'id':
        return this.variable(node.args, node)
      case '.':
        return this.field(node.args[0], node.args[1], node)
      case '[]':
        return this.item(node.args[0], node.args[1])
      case 'call':
        return this.call(node.args[0], node.args[1], node)
      case 'rcall':
        return this.method(node.args[0], node.args[1], node.args[2], node)
      case 'list':
        return this.list(node.args)
      case 'map':
        throw fault('Maps cannot be written in a rule', node)
      case '?:':
        return this.choice(...node.args)
      case '||':
        return this.either(...node.args)
      case '&&':
        return this.both(...node.args)
      case '!_': {
        const { run } = this.truth(node.args)
        return { type: 'truth', run: (f, m) => !run(f, m) }
      }
      case '-_': {
        const { run } = this.part(node.args)
        return { type: 'number', run: (f, m) => -numberOf(run(f, m)) }
      }
      case '.?':
      case '[?]':
        throw fault('Optional values are not known here', node)
      default:
        return this.binary(node.op, node.args)
    }
  }

  private variable(name: string, node: ASTNode): Part {
    const index = this.names.lastIndexOf(name)
    if (index === -1) {
      throw fault(`There is no "${name}" here; there is ${this.names.join(', ')}`, node)
    }
    return { type: this.types[index]!, run: (frame) => frame[index] }
  }

  private field(of: ASTNode, name: string, node: ASTNode): Part {
    const { type, run } = this.part(of)
    if (type === 'value') {
      return { type: 'value', run: (f, m) => memberOf(run(f, m), name) }
    }
    if (typeof type === 'string' || 'list' in type) {
      throw fault(`${typeLabel(type)} has no "${name}"`, node)
    }
    const field = shapes.get(type.fact)!.fields[name]
    if (!field) {
      const known = Object.keys(shapes.get(type.fact)!.fields).join(', ')
      throw fault(`${typeLabel(type)} has no "${name}"; it has ${known}`, node)
    }
    const absent = () =>
      new ConditionError(`There is no ${type.fact} to ask for "${name}"; test it with != null`)
    // What is known to be a fact is one, or null.
    if (of.op === 'id') {
      const index = this.names.lastIndexOf(of.args)
      return {
        type: field.type,
        run: (frame) => {
          const fact = frame[index] as Fact | null
          if (fact === null) throw absent()
          return field.read(fact)
        },
      }
    }
    return {
      type: field.type,
      run: (f, m) => {
        const fact = run(f, m)
        if (fact instanceof Fact) return field.read(fact)
        throw absent()
      },
    }
  }

  private item(of: ASTNode, index: ASTNode): Part {
    const list = this.part(of)
    const at = this.part(index)
    const type: FactType =
      typeof list.type === 'object' && 'list' in list.type ? list.type.list : 'value'
    return {
      type,
      run: (f, m) => {
        const value = list.run(f, m)
        const key = at.run(f, m)
        if (Array.isArray(value) && typeof key === 'number' && key in value) {
          return (value as unknown[])[key]
        }
        if (typeof key === 'string') return memberOf(value, key)
        throw new ConditionError(`There is no item ${String(key)}`)
      },
    }
  }

  private list(items: ASTNode[]): Part {
    const parts = items.map((item) => this.part(item))
    const first = parts[0]?.type ?? 'value'
    const type: FactType = { list: parts.every((part) => part.type === first) ? first : 'value' }
    if (items.every((item) => item.op === 'value')) {
      const fixed = parts.map((part) => part.run([], newMeter()))
      return { type, run: () => fixed }
    }
    return { type, run: (f, m) => parts.map((part) => part.run(f, m)) }
  }

  private truth(node: ASTNode): { run: (frame: unknown[], meter: Meter) => boolean } {
    const { type, run } = this.part(node)
    if (type !== 'truth' && type !== 'value') {
      throw fault(`${typeLabel(type)} is neither yes nor no`, node)
    }
    if (type === 'truth') return { run: run as (frame: unknown[], meter: Meter) => boolean }
    return { run: (f, m) => yes(run(f, m)) }
  }

  /** As in the specification, an error of one side does not matter where the other decides. */
  private either(left: ASTNode, right: ASTNode): Part {
    return { type: 'truth', run: decided(this.truth(left).run, this.truth(right).run, true) }
  }

  private both(left: ASTNode, right: ASTNode): Part {
    return { type: 'truth', run: decided(this.truth(left).run, this.truth(right).run, false) }
  }

  private choice(test: ASTNode, yes: ASTNode, no: ASTNode): Part {
    const { run } = this.truth(test)
    const [a, b] = [this.part(yes), this.part(no)]
    return {
      type: a.type === b.type ? a.type : 'value',
      run: (f, m) => (run(f, m) ? a.run(f, m) : b.run(f, m)),
    }
  }

  private binary(op: string, [left, right]: [ASTNode, ASTNode]): Part {
    const [a, b] = [this.part(left), this.part(right)]
    switch (op) {
      case '==':
        return { type: 'truth', run: equality(a, b, right, true) }
      case '!=':
        return { type: 'truth', run: equality(a, b, right, false) }
      case 'in':
        return { type: 'truth', run: (f, m) => isIn(a.run(f, m), b.run(f, m), m) }
      case '+':
        return { type: a.type, run: (f, m) => sum(a.run(f, m), b.run(f, m), m) }
      default: {
        const compute = arithmetic[op]
        if (compute) {
          return {
            type: 'number',
            run: (f, m) => compute(numberOf(a.run(f, m)), numberOf(b.run(f, m))),
          }
        }
        const holds = order[op]!
        return { type: 'truth', run: (f, m) => holds(compared(a.run(f, m), b.run(f, m))) }
      }
    }
  }

  private call(name: string, args: ASTNode[], node: ASTNode): Part {
    if (name === 'has') return this.has(args, node)
    return this.apply(name, args, node)
  }

  private has([arg]: ASTNode[], node: ASTNode): Part {
    if (arg?.op !== '.') throw fault('has() asks for a member, as in has(schema.pattern)', node)
    const { type, run } = this.part(arg.args[0])
    const name = arg.args[1]
    if (typeof type === 'object' && 'fact' in type) {
      const { run: read } = this.part(arg)
      return { type: 'truth', run: (f, m) => !isEmpty(read(f, m)) }
    }
    return {
      type: 'truth',
      run: (f, m) => {
        const value = run(f, m)
        return typeof value === 'object' && value !== null && Object.hasOwn(value, name)
      },
    }
  }

  /** `text.matches(x)` and `matches(text, x)` are the same. */
  private method(name: string, of: ASTNode, args: ASTNode[], node: ASTNode): Part {
    const each = comprehensions[name]
    return each && args.length >= 2 && args[0]!.op === 'id'
      ? this.comprehension(each, of, args as [ASTNode, ASTNode, ...ASTNode[]], name)
      : this.apply(name, [of, ...args], node)
  }

  private apply(name: string, args: ASTNode[], node: ASTNode): Part {
    const known = Object.hasOwn(library, name) ? library[name] : undefined
    if (!known) throw fault(`There is no function "${name}"`, node)
    const { takes, gives } = known
    if (args.length !== takes.length) throw fault(`${name} takes ${takes.join(', ')}`, node)
    const parts = args.map((arg) => this.part(arg))
    parts.forEach(({ type }, i) => {
      const wanted = takes[i]!
      if (type !== 'value' && wanted !== 'value' && !suits(type, wanted)) {
        throw fault(`${name} takes ${takes.join(', ')}; this is ${typeLabel(type)}`, args[i]!)
      }
    })
    const tested = parts.map(({ type, run: given }, i): Run => {
      const wanted = takes[i]!
      const test = checks[wanted]
      // Texts and lists of facts are what they are said to be; a number may be missing.
      if (!test || (wanted === 'text' && type === 'text') || typeof type === 'object') return given
      return (f, m) => {
        const value = given(f, m)
        if (test(value)) return value
        throw new ConditionError(`${name} takes ${wanted}, and got ${described(value)}`)
      }
    })
    const call = known.call as (values: unknown[], meter: Meter) => unknown
    // One array for each place of the expression: what is called keeps none of them.
    const values: unknown[] = []
    const [first, second] = tested
    const run: Run =
      tested.length === 1
        ? (f, m) => {
            values[0] = first!(f, m)
            spend(m, 1)
            return call(values, m)
          }
        : tested.length === 2
          ? (f, m) => {
              values[0] = first!(f, m)
              values[1] = second!(f, m)
              spend(m, 1)
              return call(values, m)
            }
          : (f, m) => {
              for (let i = 0; i < tested.length; i++) values[i] = tested[i]!(f, m)
              spend(m, 1)
              return call(values, m)
            }
    const type = gives === 'item' ? elementOf(parts[0]!.type) : gives
    return { type, run }
  }

  private comprehension(
    fold: Fold,
    of: ASTNode,
    [variable, body, more]: [ASTNode, ASTNode, ...ASTNode[]],
    name: string,
  ): Part {
    const list = this.part(of)
    const element = elementOf(list.type)
    if (typeof list.type === 'string' && list.type !== 'value') {
      throw fault(`${name} goes through a list; this is ${typeLabel(list.type)}`, of)
    }
    const slot = this.names.length
    this.names.push(variable.args as string)
    this.types.push(element)
    const step = this.part(body)
    const then = more && this.part(more)
    this.names.pop()
    this.types.pop()
    const gives =
      name === 'map'
        ? { list: (then ?? step).type }
        : name === 'filter'
          ? { list: element }
          : 'truth'
    return {
      type: gives,
      run: (f, m) => {
        const items = list.run(f, m)
        if (!Array.isArray(items)) {
          throw new ConditionError(`${name} goes through a list, and got ${described(items)}`)
        }
        const at = (run: Run) => (item: unknown) => {
          spend(m, 1)
          f[slot] = item
          return run(f, m)
        }
        return fold(items, at(step.run), then && at(then.run))
      },
    }
  }
}

/** How a text is named: `v`, or `property.name`. */
const nameOf = (node: ASTNode): string => {
  if (node.op === 'id') return node.args
  return node.op === '.' ? `${nameOf(node.args[0])}.${node.args[1]}` : ''
}

/** Whether a function answers by nothing but the texts it is given. */
function isOfTexts(name: string): boolean {
  const known = Object.hasOwn(library, name) ? library[name] : undefined
  return (
    known !== undefined &&
    typeof known.gives === 'string' &&
    known.takes.every((type) => type === 'text')
  )
}

/** Answers of one check that are kept for one expression. */
const mostRemembered = 5000

/** Answers by a text alone, and the same names come again and again: what was answered in this check is kept. */
function remembered(text: Run, answered: Run): Run {
  let check = 0
  let known = new Map<string, unknown>()
  return (f, m) => {
    if (m.id !== check) {
      check = m.id
      known = new Map()
    }
    const asked = text(f, m) as string
    if (asked.length > 100) return answered(f, m)
    let answer = known.get(asked)
    if (answer === undefined) {
      answer = answered(f, m)
      if (known.size < mostRemembered) known.set(asked, answer)
    } else spend(m, 1)
    return answer
  }
}

type Fold = (
  items: unknown[],
  step: (item: unknown) => unknown,
  then: ((item: unknown) => unknown) | undefined,
) => unknown

const yes = (answer: unknown) => {
  if (typeof answer !== 'boolean') throw new ConditionError('A condition answers yes or no')
  return answer
}

const comprehensions = table<Fold>({
  all: (items, step) => items.every((item) => yes(step(item))),
  exists: (items, step) => items.some((item) => yes(step(item))),
  exists_one: (items, step) => items.filter((item) => yes(step(item))).length === 1,
  filter: (items, step) => items.filter((item) => yes(step(item))),
  map: (items, step, then) =>
    then ? items.filter((item) => yes(step(item))).map(then) : items.map(step),
})

const fault = (message: string, node: ASTNode) => new ConditionError(message, node.start)

function literal(value: unknown): Part {
  if (typeof value === 'bigint') {
    const number = Number(value)
    return { type: 'number', run: () => number }
  }
  const type =
    typeof value === 'string'
      ? 'text'
      : typeof value === 'number'
        ? 'number'
        : typeof value === 'boolean'
          ? 'truth'
          : 'value'
  return { type, run: () => value }
}

/** Whether two values are the same, or not; most often one of them is written out. */
function equality(a: Part, b: Part, right: ASTNode, wanted: boolean): Run {
  if (right.op === 'value' && typeof right.args !== 'object' && typeof right.args !== 'bigint') {
    const written = b.run([], newMeter())
    return (f, m) => (a.run(f, m) === written) === wanted
  }
  return (f, m) => equal(a.run(f, m), b.run(f, m)) === wanted
}

function decided(left: (f: unknown[], m: Meter) => boolean, right: typeof left, by: boolean): Run {
  return (f, m) => {
    let first: boolean
    try {
      first = left(f, m)
    } catch (error) {
      if (!(error instanceof ConditionError) || m.left < 0) throw error
      if (right(f, m) === by) return by
      throw error
    }
    return first === by ? by : right(f, m)
  }
}

function memberOf(value: unknown, name: string): unknown {
  if (value instanceof Fact) {
    const field = value.shape.fields[name]
    if (field) return field.read(value)
    throw new ConditionError(`A ${value.shape.name} has no "${name}"`)
  }
  if (typeof value === 'object' && value !== null && Object.hasOwn(value, name)) {
    return (value as Record<string, unknown>)[name]
  }
  throw new ConditionError(`There is no "${name}"; test it with has()`)
}

const isEmpty = (value: unknown) =>
  value === undefined ||
  value === null ||
  value === '' ||
  (typeof value === 'object' && !(value instanceof Fact) && Object.keys(value).length === 0)

function numberOf(value: unknown): number {
  if (typeof value === 'number') return value
  throw new ConditionError(`A number is needed, and this is ${described(value)}`)
}

function sum(a: unknown, b: unknown, m: Meter): unknown {
  if (typeof a === 'number' && typeof b === 'number') return a + b
  if (typeof a === 'string' && typeof b === 'string') {
    spend(m, (a.length + b.length) >> 6)
    return a + b
  }
  if (Array.isArray(a) && Array.isArray(b)) {
    spend(m, a.length + b.length)
    return [...(a as unknown[]), ...(b as unknown[])]
  }
  throw new ConditionError(`${described(a)} and ${described(b)} cannot be added`)
}

const arithmetic: Record<string, (a: number, b: number) => number> = {
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => a / b,
  '%': (a, b) => a % b,
}

const order: Record<string, (difference: number) => boolean> = {
  '<': (d) => d < 0,
  '<=': (d) => d <= 0,
  '>': (d) => d > 0,
  '>=': (d) => d >= 0,
}

function compared(a: unknown, b: unknown): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b
  if (typeof a === 'string' && typeof b === 'string') return a < b ? -1 : a > b ? 1 : 0
  throw new ConditionError(`${described(a)} and ${described(b)} have no order`)
}

function isIn(item: unknown, list: unknown, m: Meter): boolean {
  if (Array.isArray(list)) {
    spend(m, list.length >> 3)
    return typeof item === 'object' ? list.some((other) => equal(item, other)) : list.includes(item)
  }
  if (typeof list === 'object' && list !== null && typeof item === 'string') {
    return Object.hasOwn(list, item)
  }
  throw new ConditionError(`"in" looks into a list, and this is ${described(list)}`)
}

/** Equality of values; facts are the same where they speak of the same thing. */
function equal(a: unknown, b: unknown): boolean {
  if (a === b) return true
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false
  if (a instanceof Fact || b instanceof Fact) {
    return a instanceof Fact && b instanceof Fact && a.node === b.node
  }
  if (Array.isArray(a) !== Array.isArray(b)) return false
  const [x, y] = [Object.entries(a), b as Record<string, unknown>]
  return (
    x.length === Object.keys(y).length &&
    x.every(([key, value]) => Object.hasOwn(y, key) && equal(value, y[key]))
  )
}

const elementOf = (type: FactType): FactType =>
  typeof type === 'object' && 'list' in type ? type.list : 'value'

/** Whether something of a type may stand where a function takes another. */
function suits(type: FactType, wanted: string): boolean {
  if (wanted === 'sized') return type === 'text' || (typeof type === 'object' && 'list' in type)
  if (wanted === 'list') return typeof type === 'object' && 'list' in type
  if (typeof type === 'string') return type === wanted
  return 'fact' in type && type.fact === wanted
}

const checks: Record<string, (value: unknown) => boolean> = {
  text: (value) => typeof value === 'string',
  number: (value) => typeof value === 'number',
  truth: (value) => typeof value === 'boolean',
  list: (value) => Array.isArray(value),
  sized: (value) => typeof value === 'string' || Array.isArray(value),
}

const described = (value: unknown) =>
  value === null || value === undefined
    ? 'nothing'
    : Array.isArray(value)
      ? 'a list'
      : value instanceof Fact
        ? `a ${value.shape.name}`
        : typeof value === 'object'
          ? 'a value with members'
          : JSON.stringify(value).slice(0, 60)
