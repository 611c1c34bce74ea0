import type { Break } from './chain'
import { TreeBuilder, type TreeHead } from './merkle'

/** Holds entries, given leaf by leaf, against heads that were signed before. */
export class HeadChecker {
  private readonly tree = new TreeBuilder()
  private readonly bySize: Map<number, Set<string>>
  private wrong: Break | undefined

  constructor(heads: TreeHead[]) {
    this.bySize = new Map()
    for (const { size, root } of heads) {
      const roots = this.bySize.get(size) ?? new Set()
      this.bySize.set(size, roots.add(root))
    }
  }

  add(leaf: string): void {
    this.tree.add(leaf)
    const roots = this.bySize.get(this.tree.size)
    if (this.wrong || !roots) return
    if (roots.size > 1 || !roots.has(this.tree.root())) {
      const why = `The entries up to here are not those whose head was signed`
      this.wrong = { number: this.tree.size, why }
    }
  }

  root(): string {
    return this.tree.root()
  }

  /** The first head that does not hold; one of more entries than there are shows that the end was cut off. */
  broken(): Break | undefined {
    if (this.wrong) return this.wrong
    const most = Math.max(0, ...this.bySize.keys())
    if (most <= this.tree.size) return undefined
    const why = `A head of ${most} entries was signed; everything after entry ${this.tree.size} was cut off`
    return { number: this.tree.size + 1, why }
  }
}
