import { examine, type Examination } from '../../core/definition'
import type { Circumstances, Edition } from '../../core/rules/model'
import { decodeText } from '../../core/text/read'

export interface Task {
  bytes: Uint8Array
  file: string
  edition: Edition
  circumstances: Circumstances
}

/** The work of one thread: a text as bytes in, everything worth keeping out. */
export default function analyse({ bytes, file, edition, circumstances }: Task): Examination {
  const decoded = decodeText(bytes, file)
  if ('problem' in decoded) return { readable: false, problems: [decoded.problem] }
  return examine({ file, text: decoded.text }, edition, circumstances)
}
