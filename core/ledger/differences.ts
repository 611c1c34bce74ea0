/** One value of a record that is not what it was; `undefined` where there was none, or is none any more. */
export interface ValueChange {
  /** `spec.limit.requests`; items of lists by what names them, or by their place. */
  path: string
  before: unknown
  after: unknown
}

const most = 400

type Members = Record<string, unknown>
const isRecord = (value: unknown): value is Members =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** What an item of a list goes by, so that one that moved is not a changed one. */
function nameOf(item: unknown): string | undefined {
  if (!isRecord(item)) return typeof item === 'string' ? item : undefined
  const { method, path, name, id } = item
  if (typeof method === 'string' && typeof path === 'string') return `${method} ${path}`
  return [name, id].find((value): value is string => typeof value === 'string')
}

function membersOf(value: unknown): Members | undefined {
  if (isRecord(value)) return value
  if (!Array.isArray(value)) return undefined
  const names = value.map(nameOf)
  const named = names.every((name) => name !== undefined) && new Set(names).size === names.length
  return Object.fromEntries(value.map((item, i) => [named ? names[i]! : String(i + 1), item]))
}

/** The values that differ between two records, by their paths, in the order they stand in. */
export function valueChanges(before: unknown, after: unknown): ValueChange[] {
  const changes: ValueChange[] = []
  const walk = (path: string, a: unknown, b: unknown): void => {
    if (changes.length >= most || JSON.stringify(a) === JSON.stringify(b)) return
    const [x, y] = [membersOf(a), membersOf(b)]
    if (!x && !y) return void changes.push({ path, before: a, after: b })
    if (
      (x === undefined && a !== undefined && a !== null) ||
      (y === undefined && b !== undefined && b !== null)
    )
      return void changes.push({ path, before: a, after: b })
    for (const name of new Set([...Object.keys(x ?? {}), ...Object.keys(y ?? {})]))
      walk(path === '' ? name : `${path}.${name}`, x?.[name], y?.[name])
  }
  walk('', before ?? undefined, after ?? undefined)
  return changes
}
