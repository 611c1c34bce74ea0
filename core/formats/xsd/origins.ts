import type { Origins, SchemaObject } from '../../contract/model'
import type { Documents } from '../../text/documents'
import type { Location } from '../../text/location'
import type { Pointer } from '../../text/pointer'
import type { XmlElement } from '../../text/xml'

interface Home {
  file: string
  below: Pointer
}

/** Where translated schemas come from; file and path are found when somebody asks. */
export class ElementOrigins implements Origins {
  private readonly known = new Map<SchemaObject, XmlElement>()
  /** Noted since somebody last asked, in pairs; most definitions are read without a question. */
  private noted: (SchemaObject | XmlElement)[] = []
  private readonly homes = new Map<XmlElement, Home>()

  constructor(private readonly documents: Documents) {}

  /** Notes where an element's document was read from: a file, or what is written `below` a place of one. */
  locate(element: XmlElement, file: string, below: Pointer = ''): void {
    this.homes.set(rootOf(element), { file, below })
  }

  /** Where an element is written. */
  placeOf(element: XmlElement): Location | undefined {
    const home = this.homes.get(rootOf(element))
    return home && this.documents.place(home.file, home.below + element.path)
  }

  set(schema: SchemaObject, { element }: { element: XmlElement }): void {
    this.noted.push(schema, element)
  }

  get(schema: SchemaObject): Location | undefined {
    for (let i = 0; i < this.noted.length; i += 2) {
      this.known.set(this.noted[i] as SchemaObject, this.noted[i + 1] as XmlElement)
    }
    this.noted = []
    const element = this.known.get(schema)
    return element && this.placeOf(element)
  }
}

const rootOf = (element: XmlElement): XmlElement => {
  let root = element
  while (root.parent) root = root.parent
  return root
}
