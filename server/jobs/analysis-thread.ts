import { analyse } from './analysis'

/** The work of one thread: files as bytes in, everything worth keeping out. */
export default analyse
