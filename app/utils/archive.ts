import { zip } from 'fflate'

/** Packs files into a ZIP archive, away from the page's main thread. */
export const zipped = (files: Record<string, Uint8Array<ArrayBuffer>>): Promise<Blob> =>
  new Promise((resolve, reject) => {
    zip(files, { level: 6 }, (error, bytes) => {
      if (error) reject(new Error(error.message))
      else resolve(new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'application/zip' }))
    })
  })

/** Offers a text or file to be saved. */
export function offer(content: string | Blob, name: string): void {
  const blob = typeof content === 'string' ? new Blob([content], { type: 'text/plain' }) : content
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
