/** A map that forgets what was touched longest ago once it holds so many. */
export class Bounded<V> {
  private readonly entries = new Map<string, V>()

  constructor(private readonly most: number) {}

  get size(): number {
    return this.entries.size
  }

  get(key: string): V | undefined {
    const value = this.entries.get(key)
    if (value === undefined) return undefined
    this.entries.delete(key)
    this.entries.set(key, value)
    return value
  }

  set(key: string, value: V): void {
    this.entries.delete(key)
    this.entries.set(key, value)
    if (this.entries.size <= this.most) return
    const [oldest] = this.entries.keys()
    this.entries.delete(oldest!)
  }
}
