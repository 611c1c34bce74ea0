import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { chromium } from '@playwright/test'
import { which } from './commands.mjs'
import { bringUp } from './system.mjs'

/** The main pages, and what each may take at first load: kB over the wire, and requests. */
const pages = [
  { path: '/sign-in', most: 350, requests: 40 },
  { path: '/', most: 350, requests: 40 },
  { path: '/apis/supply-interruptions', most: 350, requests: 40 },
  { path: '/apis/supply-interruptions/source', most: 900, requests: 60 },
  { path: '/apis/supply-interruptions/placements', most: 350, requests: 40 },
  { path: '/findings', most: 350, requests: 40 },
  { path: '/findings/estate', most: 800, requests: 50 },
  { path: '/drift', most: 350, requests: 40 },
  { path: '/promotions', most: 350, requests: 40 },
  { path: '/ledger', most: 350, requests: 40 },
]

/** Loads a page into a new browser without a cache; bytes are counted as they travel. */
async function load(browser, state, address, path) {
  const context = await browser.newContext(state && { storageState: state })
  const page = await context.newPage()
  const session = await context.newCDPSession(page)
  await session.send('Network.enable')
  let [bytes, requests] = [0, 0]
  session.on('Network.requestWillBeSent', () => requests++)
  session.on('Network.loadingFinished', ({ encodedDataLength }) => (bytes += encodedDataLength))
  const begun = performance.now()
  const answer = await page.goto(address + path, { waitUntil: 'commit' })
  await page.getByRole('heading', { level: 1 }).waitFor()
  const ms = performance.now() - begun
  // The event stream never ends, so that quiet on the network cannot be waited for.
  await page.waitForLoadState('load')
  await page.waitForTimeout(1500)
  const html = Number((await answer.body()).length)
  await context.close()
  return { kB: bytes / 1024, requests, ms, html: html / 1024 }
}

/** What the main pages of a running demo take over the wire, from an empty cache, in Chromium. */
export async function benchPages(root, port) {
  const data = join(root, '.data/bench-pages')
  rmSync(data, { recursive: true, force: true })
  const system = await bringUp({ root, data, port, fresh: true, demo: true })
  const browser = await chromium.launch({
    executablePath: which('chromium') ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run'],
  })
  try {
    const context = await browser.newContext()
    const page = await context.newPage()
    await page.goto(`${system.address}/sign-in`)
    await page.getByLabel('Name').fill('imara')
    await page.getByLabel('Password').fill('elm-demo-2026')
    await page.getByRole('button', { name: 'Sign in', exact: true }).click()
    await page.waitForURL(`${system.address}/`)
    const state = await context.storageState()
    console.log(
      `\n${'page'.padEnd(42)}${'kB'.padStart(8)}  (at most)  requests  HTML kB  ms to the heading`,
    )
    for (const { path, most, requests: mostRequests } of pages) {
      const { kB, requests, ms, html } = await load(
        browser,
        path === '/sign-in' ? undefined : state,
        system.address,
        path,
      )
      const over = kB > most || requests > mostRequests ? '  over' : ''
      console.log(
        `${path.padEnd(42)}${kB.toFixed(0).padStart(8)}  ${`(${most})`.padStart(9)}  ${String(requests).padStart(8)}  ${html.toFixed(1).padStart(7)}  ${ms.toFixed(0).padStart(6)}${over}`,
      )
    }
  } finally {
    await browser.close()
    await system.down()
  }
}
