import { problem, reply, type Call, type Handlers, type Reply } from './rest'

export type Item = Record<string, unknown>

/** Items kept in memory while the stand-in runs, so that what was written is there to be read. */
export class Collection {
  private readonly items = new Map<string, Item>()
  private next = 1

  constructor(
    private readonly id: string,
    private readonly prefix: string,
    seed: Item[],
  ) {
    for (const item of seed) this.items.set(String(item[id]), item)
  }

  get(key: string): Item | undefined {
    return this.items.get(key)
  }

  add(item: Item): Item {
    let key: string
    do key = `${this.prefix}-${this.next++}`
    while (this.items.has(key))
    const made = { [this.id]: key, ...item }
    this.items.set(key, made)
    return made
  }

  change(key: string, changes: Item): Item | undefined {
    const item = this.items.get(key)
    return item && Object.assign(item, changes)
  }

  remove(key: string): boolean {
    return this.items.delete(key)
  }

  /** A page: `limit` and an opaque `cursor`. Other query names filter on equality where items have them. */
  page(query: URLSearchParams, keep: (item: Item) => boolean = () => true): Reply {
    const limit = Math.min(200, Math.max(1, Number(query.get('limit') ?? 50) || 50))
    const start = Number(Buffer.from(query.get('cursor') ?? '', 'base64url').toString() || 0) || 0
    const filters = [...query].filter(([name]) => name !== 'limit' && name !== 'cursor')
    const all = [...this.items.values()].filter(
      (item) =>
        keep(item) &&
        filters.every(([name, value]) => !(name in item) || String(item[name]) === value),
    )
    const items = all.slice(start, start + limit)
    const more = start + limit < all.length
    return reply(
      more
        ? { items, nextCursor: Buffer.from(String(start + limit)).toString('base64url') }
        : { items },
    )
  }
}

export const missing = (what: string) =>
  problem(404, 'Not found', `There is no ${what} with this identifier.`)

/** List, create, read, change and remove below one path. `stamp` adds what a service sets itself. */
export function crud(
  path: string,
  param: string,
  items: Collection,
  stamp: () => Item = () => ({}),
): Handlers {
  const one = (call: Call, act: (key: string) => Item | undefined) => {
    const item = act(call.params[param]!)
    return item ? reply(item) : missing(path.slice(1))
  }
  return {
    [`GET ${path}`]: ({ query }) => items.page(query),
    [`POST ${path}`]: ({ body }) => reply(items.add({ ...body, ...stamp() }), 201),
    [`GET ${path}/{${param}}`]: (call) => one(call, (key) => items.get(key)),
    [`PATCH ${path}/{${param}}`]: (call) => one(call, (key) => items.change(key, call.body)),
    [`DELETE ${path}/{${param}}`]: ({ params }) =>
      items.remove(params[param]!) ? { status: 204 } : missing(path.slice(1)),
  }
}

/** An act that moves an item into a state, or refuses with 409 where it is there already. */
export function act(path: string, param: string, items: Collection, changes: () => Item): Handlers {
  return {
    [`POST ${path}`]: ({ params }) => {
      const item = items.get(params[param]!)
      if (!item) return missing('item')
      const change = changes()
      if ('state' in change && item['state'] === change['state']) {
        return problem(409, 'Conflict', `It is ${String(change['state'])} already.`)
      }
      return reply(items.change(params[param]!, change))
    },
  }
}
