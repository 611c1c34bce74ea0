import { limits } from './limits'
import { partsOf, locationIn, type Location } from './location'
import { Lines, type PlacedDiagnostic, type Position, type Diagnostic } from './diagnostic'
import { locate, readText, type SourceText, type TextReading } from './read'
import type { Pointer } from './pointer'

/** The text of a file beside the main one by its name, or undefined where there is none. */
export type Beside = (name: string) => string | undefined

/** One file of a definition, read. */
export interface Document {
  file: string
  text: string
  reading: TextReading
}

/** Looks texts up in a map by name. */
export const besideIn =
  (texts: ReadonlyMap<string, string>): Beside =>
  (name) =>
    texts.get(name)

/**
 * The files of one definition: the main one and those it refers to, each read once, when it is first asked for. Names
 * are as they resolve from the main file's.
 */
export class Documents {
  private readonly read = new Map<string, Document>()
  private readonly lines = new Map<string, Lines>()
  private bytes = 0
  /** Names that something refers to and no file has. */
  readonly missing = new Set<string>()

  constructor(
    readonly main: SourceText,
    private readonly beside: Beside = () => undefined,
  ) {
    this.read.set(main.file, { ...main, reading: readText(main) })
  }

  /** The main file, or the file of that name where there is one. */
  get(file: string = this.main.file): Document | undefined {
    const known = this.read.get(file)
    if (known) return known
    const text = this.text(file)
    if (text === undefined) return undefined
    const document = { file, text, reading: readText({ file, text }) }
    this.read.set(file, document)
    return document
  }

  /** The text of a file, read as nothing in particular. */
  text(file: string): string | undefined {
    const known = this.read.get(file)
    if (known) return known.text
    if (this.read.size >= limits.files || this.bytes > limits.allBytes) return undefined
    const text = this.beside(file)
    if (text === undefined) this.missing.add(file)
    this.bytes += text?.length ?? 0
    return text
  }

  /** How a file is named in places: the main one is not named. */
  placeName(file: string): string | undefined {
    return file === this.main.file ? undefined : file
  }

  /** A place in a file. */
  place(file: string, pointer: Pointer): Location {
    return locationIn(this.placeName(file), pointer)
  }

  /** The files read so far, the main one first. */
  get files(): Document[] {
    return [...this.read.values()]
  }

  /** The lines of a file that has been read. */
  linesOf({ file, text }: SourceText): Lines {
    let lines = this.lines.get(file)
    if (!lines) this.lines.set(file, (lines = new Lines(text)))
    return lines
  }

  /** File, line and column of many places, in one pass over each file. */
  locate(places: Iterable<Location>): Map<Location, Position & { file: string }> {
    const byFile = new Map<string, Map<Pointer, Location>>()
    for (const place of places) {
      const { file = this.main.file, pointer } = partsOf(place)
      let pointers = byFile.get(file)
      if (!pointers) byFile.set(file, (pointers = new Map<Pointer, Location>()))
      pointers.set(pointer, place)
    }
    const found = new Map<Location, Position & { file: string }>()
    for (const [file, pointers] of byFile) {
      // A file that was only quoted is read now.
      const document = this.get(file)
      const positions = document && this.positionsIn(document, pointers.keys())
      for (const [pointer, place] of pointers) {
        const { line, column } = positions?.get(pointer) ?? { line: 1, column: 1 }
        found.set(place, { file, line, column })
      }
    }
    return found
  }

  /** Turns diagnostics of values into those with file, line and column, in the order of the text. */
  placed(diagnostics: PlacedDiagnostic[]): Diagnostic[] {
    if (diagnostics.length === 0) return []
    const places = this.locate(diagnostics.map(({ at }) => at))
    return diagnostics.map(({ severity, message, at }) => ({
      severity,
      message,
      ...places.get(at)!,
    }))
  }

  private positionsIn(document: Document, pointers: Iterable<Pointer>) {
    const { text, reading } = document
    if (!reading.readable) return undefined
    return locate(text, reading.syntax, pointers, { ...reading, lines: this.linesOf(document) })
  }
}
