import { fileURLToPath } from 'node:url'

/** A file that is prepared when the command line is built, beside it. */
export const prepared = (name: string) => fileURLToPath(new URL(name, import.meta.url))

/** The rulebook that ships, as it is written. */
export const shippedRulebook = () => prepared('../rulebooks/house.yaml')
