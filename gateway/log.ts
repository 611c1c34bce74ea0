import type { Step } from '../core/routing/explain'

/** One request as the gateway saw it. Times in milliseconds. */
export interface LogEntry {
  id: string
  at: string
  method: string
  host: string
  path: string
  status: number
  ms: number
  consumer: string
  placement: string
  steps: Step[]
}

/** Longer paths and texts are cut in the log. */
const longest = 2000
const cut = (text: string) => (text.length > longest ? `${text.slice(0, longest)}…` : text)

/** The last requests, within bounds of number and size. */
export class AccessLog {
  /** In the order they came. */
  private readonly entries = new Map<string, { entry: LogEntry; bytes: number }>()
  private bytes = 0

  constructor(
    private readonly mostBytes: number,
    private readonly most = 5000,
  ) {}

  add(whole: LogEntry): void {
    const entry: LogEntry = {
      ...whole,
      host: cut(whole.host),
      path: cut(whole.path),
      steps: whole.steps.map((step) => ({ ...step, text: cut(step.text) })),
    }
    const bytes = sizeOf(entry)
    this.entries.set(entry.id, { entry, bytes })
    this.bytes += bytes
    for (const [id, oldest] of this.entries) {
      if (this.bytes <= this.mostBytes && this.entries.size <= this.most) break
      this.entries.delete(id)
      this.bytes -= oldest.bytes
    }
  }

  find(id: string): LogEntry | undefined {
    return this.entries.get(id)?.entry
  }

  /** The newest so many, newest last. */
  latest(count: number): LogEntry[] {
    return [...this.entries.values()].slice(-count).map(({ entry }) => entry)
  }
}

/** Two bytes for a character, and a share for the objects themselves. */
const sizeOf = ({ host, path, consumer, placement, steps }: LogEntry) =>
  500 +
  2 * (host.length + path.length + consumer.length + placement.length) +
  steps.reduce((sum, { text }) => sum + 100 + 2 * text.length, 0)
