import type { Origins, SchemaObject } from '../../contract/model'
import type { Documents } from '../../text/documents'
import type { Place } from '../../text/place'
import type { XmlElement } from '../../text/xml'

/** Where translated schemas come from; file and path are found when somebody asks. */
export class ElementOrigins implements Origins {
  private readonly known = new Map<SchemaObject, XmlElement>()
  /** Noted since somebody last asked, in pairs; most definitions are read without a question. */
  private noted: (SchemaObject | XmlElement)[] = []
  private readonly files = new Map<XmlElement, string>()

  constructor(private readonly documents: Documents) {}

  /** Notes the file that an element's document was read from. */
  locate(element: XmlElement, file: string): void {
    this.files.set(rootOf(element), file)
  }

  set(schema: SchemaObject, { element }: { element: XmlElement }): void {
    this.noted.push(schema, element)
  }

  get(schema: SchemaObject): Place | undefined {
    for (let i = 0; i < this.noted.length; i += 2) {
      this.known.set(this.noted[i] as SchemaObject, this.noted[i + 1] as XmlElement)
    }
    this.noted = []
    const element = this.known.get(schema)
    const file = element && this.files.get(rootOf(element))
    return file === undefined ? undefined : this.documents.place(file, element!.path)
  }
}

const rootOf = (element: XmlElement): XmlElement => {
  let root = element
  while (root.parent) root = root.parent
  return root
}
