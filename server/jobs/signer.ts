import type { Database } from '../db/database'
import { signNow, tellWitness, type HeadStore } from '../services/heads'
import { errorText } from '../../core/text/values'

/** Entries that come close together are signed together; in milliseconds. */
const gathersMs = 500

/** Signs the ledger's head soon after it has grown, and sends it to the witness. */
export class Signer {
  private timer: NodeJS.Timeout | undefined
  private working: Promise<void> = Promise.resolve()

  constructor(
    private readonly db: Database,
    private readonly store: HeadStore,
  ) {}

  soon(): void {
    this.timer ??= setTimeout(() => {
      this.timer = undefined
      this.working = this.working.then(() => this.sign())
    }, gathersMs)
  }

  private async sign(): Promise<void> {
    try {
      await signNow(this.db, this.store, new Date())
    } catch (error) {
      console.error('The head of the ledger was not signed:', errorText(error))
      return
    }
    await tellWitness(this.store).catch((error: Error) =>
      console.warn('The witness was not told:', error.message),
    )
  }
}
