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

/** The last requests, newest last. */
export class AccessLog {
  private readonly entries: LogEntry[] = []
  private next = 0

  constructor(private readonly size = 5000) {}

  add(entry: LogEntry): void {
    this.entries[this.next % this.size] = entry
    this.next++
  }

  find(id: string): LogEntry | undefined {
    return this.entries.find((entry) => entry.id === id)
  }

  latest(count: number): LogEntry[] {
    const ordered = [
      ...this.entries.slice(this.next % this.size),
      ...this.entries.slice(0, this.next % this.size),
    ].filter((entry) => entry !== undefined)
    return ordered.slice(-count)
  }
}
