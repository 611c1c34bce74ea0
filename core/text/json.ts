import { limits } from './limits'
import { assignOffset, pointerTree, type Pointer, type PointerTree } from './pointer'

/** A fault in a JSON text (RFC 8259) at an offset. */
export class JsonFault extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(message)
  }
}

interface Watch {
  duplicate?: (key: string, offset: number) => void
  found?: Map<Pointer, number>
}

/**
 * One pass over a JSON text without building its value: checks the grammar, reports repeated names in an object, and
 * notes the offsets of wanted pointers (a member's place is its name).
 */
class JsonScanner {
  private at = 0
  private depth = 0

  constructor(
    private readonly text: string,
    private readonly watch: Watch,
  ) {}

  run(tree?: PointerTree): void {
    if (this.text.charCodeAt(0) === 0xfeff) this.at = 1
    this.space()
    this.value(tree, this.at)
    this.space()
    if (this.at < this.text.length) this.fail('Text after the end of the document')
  }

  private fail(message: string, offset = this.at): never {
    throw new JsonFault(message, offset)
  }

  private space(): void {
    for (;;) {
      const code = this.text.charCodeAt(this.at)
      if (code !== 32 && code !== 10 && code !== 13 && code !== 9) return
      this.at++
    }
  }

  private value(tree: PointerTree | undefined, place: number): void {
    if (tree && this.watch.found) {
      for (const pointer of tree.wanted) this.watch.found.set(pointer, place)
    }
    const seen = this.container(tree)
    if (tree && this.watch.found) assignOffset(tree, place, this.watch.found, seen)
  }

  private container(tree: PointerTree | undefined): Set<PointerTree> | undefined {
    const code = this.text.charCodeAt(this.at)
    if (code !== 123 && code !== 91) {
      if (code === 34) this.string()
      else this.scalar()
      return undefined
    }
    if (++this.depth > limits.depth) {
      this.fail(`Nested deeper than ${limits.depth} levels; definitions this deep are refused`)
    }
    const seen = new Set<PointerTree>()
    if (code === 123) this.object(tree, seen)
    else this.array(tree, seen)
    this.depth--
    return seen
  }

  private object(tree: PointerTree | undefined, seen: Set<PointerTree>): void {
    const names = this.watch.duplicate ? new Set<string>() : undefined
    this.at++
    this.space()
    if (this.text.charCodeAt(this.at) === 125) {
      this.at++
      return
    }
    for (;;) {
      this.space()
      const place = this.at
      if (this.text.charCodeAt(place) !== 34) {
        const after = /,\s*$/.test(this.text.slice(Math.max(0, place - 200), place))
        this.fail(
          after ? 'A comma before the closing brace' : 'A member name in double quotes is missing',
        )
      }
      const name = this.string()
      if (names?.has(name)) this.watch.duplicate!(name, place)
      names?.add(name)
      this.space()
      if (this.text.charCodeAt(this.at) !== 58) this.fail(`A colon is missing after "${name}"`)
      this.at++
      this.space()
      const child = tree?.children.get(name)
      if (child) seen.add(child)
      this.value(child, place)
      this.space()
      const code = this.text.charCodeAt(this.at)
      this.at++
      if (code === 125) return
      if (code !== 44) this.fail('A comma or a closing brace is missing', this.at - 1)
    }
  }

  private array(tree: PointerTree | undefined, seen: Set<PointerTree>): void {
    this.at++
    this.space()
    if (this.text.charCodeAt(this.at) === 93) {
      this.at++
      return
    }
    for (let index = 0; ; index++) {
      this.space()
      const child = tree?.children.get(String(index))
      if (child) seen.add(child)
      this.value(child, this.at)
      this.space()
      const code = this.text.charCodeAt(this.at)
      this.at++
      if (code === 93) return
      if (code !== 44) this.fail('A comma or a closing bracket is missing', this.at - 1)
    }
  }

  private string(): string {
    const start = this.at
    let end = start + 1
    let escaped = false
    for (;;) {
      const code = this.text.charCodeAt(end)
      if (code === 34) break
      if (Number.isNaN(code)) this.fail('A string is not closed', start)
      if (code < 32)
        this.fail(
          'A line break or control character inside a string; is the closing quote missing?',
          end,
        )
      if (code === 92) {
        escaped = true
        end++
      }
      end++
    }
    this.at = end + 1
    if (!escaped) return this.text.slice(start + 1, end)
    try {
      return JSON.parse(this.text.slice(start, end + 1)) as string
    } catch {
      return this.fail('A backslash is followed by something JSON does not know', start)
    }
  }

  private scalar(): void {
    const pattern = /true|false|null|-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y
    pattern.lastIndex = this.at
    const match = pattern.exec(this.text)
    if (!match) {
      this.fail(
        this.at >= this.text.length
          ? 'The text ends too early'
          : 'A value is missing or not valid JSON',
      )
    }
    this.at += match[0].length
  }
}

/** The first fault of the grammar, or the repeated names, of a JSON text. */
export function jsonFaults(text: string): JsonFault[] {
  const faults: JsonFault[] = []
  const duplicate = (key: string, offset: number) =>
    faults.push(new JsonFault(`"${key}" stands twice in the same object`, offset))
  try {
    new JsonScanner(text, { duplicate }).run()
  } catch (fault) {
    if (!(fault instanceof JsonFault)) throw fault
    faults.push(fault)
  }
  return faults
}

/** Offsets of the pointers in a well-formed JSON text; one that does not exist gets its nearest ancestor's. */
export function locateInJson(text: string, pointers: Iterable<Pointer>): Map<Pointer, number> {
  const found = new Map<Pointer, number>()
  new JsonScanner(text, { found }).run(pointerTree(pointers))
  return found
}
