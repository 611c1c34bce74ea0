import { decodeText } from '~~/core/text/read'
import type { RevisionDetail } from '~~/shared/api/catalog'

/** Changed files by name, kept in this browser until they are saved. */
interface Draft {
  files: Record<string, string>
  base: number
  at: string
}

interface SavedFile {
  bytes: Uint8Array<ArrayBuffer>
  text: string
}

/**
 * The files of a definition as they were saved, and as they are being changed. What is changed is kept in this browser
 * until it is saved or thrown away; `inEditor` gives the text of the file that is shown.
 */
export function useSourceFiles(slug: string, inEditor: () => string | undefined) {
  const local = useLocalDraft<Draft>(() => `draft:${slug}`)
  const originals = shallowRef<ReadonlyMap<string, SavedFile>>(new Map())
  const edits = shallowReactive(new Map<string, string>())
  const main = ref('')
  const file = ref('')
  const text = ref<string>()
  /** The revision that is being changed. */
  const base = ref(0)
  const dirty = ref(false)
  const restored = ref<Draft>()

  const textOf = (name: string) => edits.get(name) ?? originals.value.get(name)?.text ?? ''

  async function fetch(number: number, { files }: RevisionDetail): Promise<Map<string, SavedFile>> {
    const loaded = files.map(async ({ name }) => {
      const answer = await api.raw.getRevisionText({ api: slug, revision: number, file: name })
      const bytes = new Uint8Array(await answer.arrayBuffer())
      const decoded = decodeText(bytes, name)
      return [name, { bytes, text: 'text' in decoded ? decoded.text : '' }] as const
    })
    return new Map(await Promise.all(loaded))
  }

  /** Shows a revision, with what was changed of it before unless it is only looked at. */
  async function open(number: number, about: RevisionDetail, wanted: string, asSaved: boolean) {
    originals.value = await fetch(number, about)
    const draft = asSaved ? undefined : await local.kept()
    const changes = Object.entries(draft?.files ?? {}).filter(
      ([name, mine]) => mine !== originals.value.get(name)?.text,
    )
    restored.value = changes.length > 0 ? draft : undefined
    edits.clear()
    for (const [name, mine] of changes) edits.set(name, mine)
    base.value = restored.value?.base ?? number
    dirty.value = restored.value !== undefined
    main.value = about.file
    show(originals.value.has(wanted) ? wanted : about.file)
  }

  function show(name: string) {
    file.value = name
    text.value = textOf(name)
  }

  /** Keeps what is in the editor before another file is shown in it. */
  function keepEdit() {
    const mine = inEditor()
    if (mine === undefined) return
    if (mine === originals.value.get(file.value)?.text) edits.delete(file.value)
    else edits.set(file.value, mine)
  }

  /** Changes files, the one in the editor perhaps among them. */
  function write(texts: ReadonlyMap<string, string>) {
    for (const [name, changed] of texts) edits.set(name, changed)
    text.value = textOf(file.value)
    dirty.value = true
  }

  const textNow = (name: string) =>
    name === file.value ? (inEditor() ?? text.value!) : textOf(name)

  /** All texts of the definition as they stand now. */
  function now() {
    const names = [...originals.value.keys()].filter((name) => name !== main.value)
    const others = new Map(names.map((name) => [name, textNow(name)]))
    return { file: main.value, text: textNow(main.value), others }
  }

  function unsaved(): Draft {
    keepEdit()
    const files = Object.fromEntries(edits)
    return { files, base: base.value, at: new Date().toISOString() }
  }
  const store = () => local.keep(unsaved)

  function changed() {
    dirty.value = true
    local.keepSoon(unsaved)
  }

  async function forget() {
    await local.forget()
    restored.value = undefined
  }

  /** One changed main file travels as text; several files as one archive, those unchanged byte for byte. */
  async function payload(): Promise<{ body: string | Blob; query: { file?: string } }> {
    if (originals.value.size === 1 || (edits.size === 1 && edits.has(main.value)))
      return { body: textOf(main.value), query: {} }
    const files = [...originals.value].map(([name, { bytes }]) => {
      const mine = edits.get(name)
      return [name, mine === undefined ? bytes : new TextEncoder().encode(mine)] as const
    })
    return { body: await zipped(Object.fromEntries(files)), query: { file: main.value } }
  }

  return {
    ...{ originals, edits, main, file, text, base, dirty, restored },
    ...{
      textOf,
      textNow,
      now,
      fetch,
      open,
      show,
      keepEdit,
      write,
      store,
      changed,
      forget,
      payload,
    },
  }
}
