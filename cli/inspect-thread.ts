import { inspect } from './inspect'

/** The work of one thread: one file in, what is in it out. */
export default inspect
