import { wordTest } from '~~/core/rules/spelling'
import { api } from '../utils/api'

type IsWord = (word: string) => boolean

let asked: Promise<IsWord | undefined> | undefined

/** The dictionary, once something asks for it; without one, spelling is left to the server. */
export const dictionary = (): Promise<IsWord | undefined> =>
  (asked ??= api.getDictionary().then(
    (words) => wordTest(new Set(words.split('\n'))),
    () => (asked = undefined),
  ))
