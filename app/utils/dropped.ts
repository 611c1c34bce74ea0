/** A file with the name it has from the folder that was dropped or chosen. */
export interface NamedFile {
  name: string
  file: File
}

/** Files looked at in one folder; more is no folder of definitions. */
const mostFiles = 5000

/** Everything that was dropped: files, and what is below folders. */
export async function droppedFiles(transfer: DataTransfer): Promise<NamedFile[]> {
  const entries = [...transfer.items].flatMap((item) => item.webkitGetAsEntry() ?? [])
  if (entries.length === 0) return [...transfer.files].map((file) => ({ name: file.name, file }))
  const found: NamedFile[] = []
  for (const entry of entries) await collect(entry, '', found)
  return found
}

async function collect(entry: FileSystemEntry, above: string, found: NamedFile[]): Promise<void> {
  if (entry.name.startsWith('.') || entry.name === 'node_modules' || found.length >= mostFiles)
    return
  const name = above === '' ? entry.name : `${above}/${entry.name}`
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) =>
      (entry as FileSystemFileEntry).file(resolve, reject),
    )
    found.push({ name, file })
    return
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  for (;;) {
    // A reader gives a folder's entries in portions, and an empty one at the end.
    const portion = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    )
    if (portion.length === 0) return
    for (const child of portion) await collect(child, name, found)
  }
}

/** Files that were chosen in a field, by the names they have in the folder chosen with them. */
export const chosenFiles = (files: Iterable<File> | null): NamedFile[] =>
  [...(files ?? [])].map((file) => ({
    name: file.webkitRelativePath || file.name,
    file,
  }))
