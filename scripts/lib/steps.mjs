/** A step that failed, with what a person can do about it. */
export class StepError extends Error {
  constructor(message, fix) {
    super(message)
    this.fix = fix
  }
}

const seconds = (since) => `${((performance.now() - since) / 1000).toFixed(1)} s`

/** Runs one named step and says how it went. */
export async function step(title, work) {
  const started = performance.now()
  process.stdout.write(`· ${title} … `)
  try {
    const said = await work()
    console.log(`${said ?? 'done'} (${seconds(started)})`)
  } catch (error) {
    console.log('failed')
    throw error
  }
}

/** Runs a program's main function; says why a failed step failed and how to fix it. */
export async function run(main) {
  try {
    await main()
  } catch (error) {
    console.error(`\nStopped: ${error.message}`)
    if (error.fix) console.error(`To fix it: ${error.fix}`)
    else if (!(error instanceof StepError)) console.error(error.stack)
    process.exitCode = 1
  }
}
