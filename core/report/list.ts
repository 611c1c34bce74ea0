/** Writes a JSON list item by item. */
export class JsonList {
  private isEmpty = true

  begin(): string {
    return '['
  }

  add(items: readonly unknown[]): string {
    const texts = items.map((item) => `\n${JSON.stringify(item, null, 1)}`)
    const before = this.isEmpty || texts.length === 0 ? '' : ','
    if (texts.length > 0) this.isEmpty = false
    return before + texts.join(',')
  }

  end(): string {
    return this.isEmpty ? ']' : '\n]'
  }
}
