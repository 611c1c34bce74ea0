import { mkdirSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { chromium } from '@playwright/test'
import { which } from './lib/commands.mjs'

/** Takes the pictures of the main views from a running, fresh demo. */
const root = dirname(dirname(fileURLToPath(import.meta.url)))
const folder = join(root, 'docs/screenshots')
const address = `http://127.0.0.1:${process.env.ELM_PORT ?? 4310}`
mkdirSync(folder, { recursive: true })

const browser = await chromium.launch({
  executablePath: which('chromium') ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
})

async function personIn(name, colorScheme = 'light') {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme })
  const page = await context.newPage()
  await page.goto(`${address}/sign-in`)
  await page.getByLabel('Name').fill(name)
  await page.getByLabel('Password').fill('elm-demo-2026')
  return page
}

async function picture(page, path, file, prepare) {
  if (path) await page.goto(address + path)
  await page.getByRole('heading', { level: 1 }).waitFor()
  await page.waitForTimeout(1500)
  await prepare?.()
  await page.screenshot({ path: join(folder, `${file}.png`) })
  console.log(file)
}

const page = await personIn('imara')
await page.getByRole('button', { name: 'Sign in' }).click()
await page.waitForURL(`${address}/`)
await picture(page, '/', 'register')
await picture(page, '/apis/supply-interruptions/source', 'source')
await picture(page, '/apis/meter-readings/compare', 'compare')
await picture(page, '/placements/supply-interruptions-live-1?policy=rate', 'way')
await picture(page, '/apis/supply-interruptions/placements', 'placements')
await picture(page, '/desk?placement=supply-interruptions-trial-1', 'desk', async () => {
  const secret = await page.evaluate(async () => {
    const answer = await fetch('/api/v1/placements/supply-interruptions-trial-1/keys', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'Fernhill Plumbing' }),
    })
    return (await answer.json()).secret
  })
  await page.getByLabel('Credential', { exact: true }).fill(secret)
  await page.getByRole('button', { name: 'Send' }).click()
  await page.locator('.answer').waitFor()
})
await picture(page, '/gateways?gateway=south-edge&view=health', 'gateways')
await picture(page, '/drift', 'drift')
await picture(page, '/findings', 'findings')
await picture(page, '/policies', 'policies', async () => {
  await page.getByRole('button', { name: /Caching/ }).click()
  await page.getByLabel('Kept').selectOption('private')
  await page.getByLabel('For, in s').fill('60')
  await page.getByLabel('For, in s').blur()
  await page.getByRole('button', { name: 'Show what it does' }).click()
  await page.getByRole('heading', { name: 'What it does' }).waitFor()
})
await picture(page, '/rulebook', 'rulebook')
await picture(page, '/traffic?api=connections-and-permits&period=7d', 'traffic', async () => {
  await page.locator('.main-svg').first().waitFor()
})
await page.goto(`${address}/promotions?state=waiting`)
await page.locator('table a').first().click()
await picture(page, undefined, 'promotion')
await picture(page, '/promotions/3/evidence', 'evidence')
await picture(page, '/promotions/pipelines/private-apis', 'pipeline', async () => {
  await page.getByRole('button', { name: /^Soaking/ }).click()
  await page.getByLabel('Hours, in h').waitFor()
})

await picture(page, '/ledger', 'ledger', async () => {
  await page.getByRole('button', { name: 'Verify', exact: true }).click()
  await page.getByText('The ledger holds').waitFor()
})

// A push, from the page of the stand-in host.
const host = `http://127.0.0.1:${Number(new URL(address).port) + 2}/git/meter-readings`
await page.goto(`${host}?branch=main&path=openapi.yaml`)
const text = page.getByLabel('Text of openapi.yaml')
await text.fill((await text.inputValue()).replace('version: 4.0.0', 'version: 4.0.1'))
await page.getByLabel('Message').fill('Tell how a reading was taken')
await page.getByRole('button', { name: 'Commit and push' }).click()
await page.goto(`${address}/promotions/repositories`)
const pushed = page.getByRole('row').filter({ hasText: 'Tell how a reading was taken' })
await pushed.getByRole('link').first().click()
await page.getByText('Meter Readings 4.0.1 is placed in Trial').first().waitFor()
await picture(page, undefined, 'push')

const ruth = await personIn('ruth')
await ruth.getByRole('button', { name: 'Sign in' }).click()
await ruth.waitForURL(`${address}/`)
await picture(ruth, '/tasks', 'tasks', async () => {
  await ruth.getByRole('button', { name: 'Approve', exact: true }).waitFor()
})

const dark = await personIn('imara', 'dark')
await dark.getByRole('button', { name: 'Sign in' }).click()
await dark.waitForURL(`${address}/`)
await picture(dark, '/', 'register-dark')
await browser.close()
