import { examine, type Examination } from '~~/core/definition'
import type { Circumstances, Edition } from '~~/core/rules/model'
import { besideIn } from '~~/core/text/documents'

export interface CheckRequest {
  number: number
  text: string
  file: string
  /** The texts of the other files by name. */
  others: Map<string, string>
  edition: Edition
  circumstances: Circumstances
}

export interface CheckReply {
  number: number
  examination: Examination
}

/** The same engine as on the server, beside the page's main thread. */
self.onmessage = ({ data }: MessageEvent<CheckRequest>) => {
  const { number, text, file, others, edition, circumstances } = data
  const examination = examine({ file, text }, edition, circumstances, besideIn(others))
  const reply: CheckReply = { number, examination }
  self.postMessage(reply)
}
