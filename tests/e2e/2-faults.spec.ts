import { expect, test } from '@playwright/test'
import pg from 'pg'
import { largeDefinition } from '../../bench/large'
import { expectAccessible, fate, hydrants, margin, signIn } from './support'

test('shows HTML and script in descriptions as text', async ({ page }) => {
  let ran = false
  page.on('dialog', (dialog) => {
    ran = true
    void dialog.dismiss()
  })
  await signIn(page, 'tomas', '/bring-in')
  const hostile = '<img src=x onerror=alert(1)><script>alert(2)</script>'
  await page
    .getByLabel('Or paste the text')
    .fill(
      hydrants('1.0.0')
        .replace('title: Hydrant Checks', 'title: Hostile Words')
        .replace('Yearly checks', `${hostile} Yearly checks`),
    )
  await page.getByRole('button', { name: 'Read it' }).click()
  await expect(page.getByText(hostile)).toBeVisible()
  await page.getByLabel('Audience').selectOption('partner')
  await page.getByRole('button', { name: 'Enter into the register' }).click()
  await expect(page).toHaveURL(/\/apis\/hostile-words/)
  await page.goto('/apis/hostile-words')
  await expect(page.getByText(hostile)).toBeVisible()
  expect(ran).toBe(false)
})

test('recovers by itself when the database is restarted', async ({ page }) => {
  await signIn(page, 'tomas', '/bring-in')
  await fate('restart-database')
  await page.goto('/')
  await expect(page.locator('[data-row="0"]')).toBeVisible()
  await page.goto('/bring-in')
  await page
    .getByLabel('Or paste the text')
    .fill('openapi: 3.1.0\ninfo: { title: After, version: 1.0.0 }\npaths: {}\n')
  await page.getByRole('button', { name: 'Read it' }).click()
  await expect(page.getByRole('button', { name: 'Enter into the register' })).toBeVisible({
    timeout: 30_000,
  })
})

test('reads a text again, once, when the worker is killed in the middle', async ({ page }) => {
  test.setTimeout(120_000)
  await signIn(page, 'tomas', '/bring-in')
  await page.getByLabel('or choose files').setInputFiles({
    name: 'large.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify(largeDefinition(4500))),
  })
  await expect(page.getByText(/Reading and checking large.json/)).toBeVisible({ timeout: 20_000 })
  await fate('kill-worker')
  await expect(page.getByText('6,000 operations')).toBeVisible({ timeout: 90_000 })
  const client = new pg.Client({ connectionString: process.env['ELM_DATABASE']! })
  await client.connect()
  const { rows } = await client.query<{ attempts: number; state: string }>(
    `SELECT attempts, state FROM intakes WHERE source = 'large.json'`,
  )
  await client.end()
  // On a busy machine the next worker may be thought dead too, and its job be given on.
  expect(rows.map(({ state }) => state)).toEqual(['ready'])
  expect(rows[0]!.attempts).toBeGreaterThan(1)
})

test('the register answers while 13 MB are brought in and checked', async ({ page, request }) => {
  test.setTimeout(120_000)
  await signIn(page, 'imara', '/bring-in')
  const cookie = (await page.context().cookies())
    .map(({ name, value }) => `${name}=${value}`)
    .join('; ')
  const text = JSON.stringify(largeDefinition(3000))
  expect(text.length).toBeGreaterThan(13_000_000)
  await page.getByLabel('or choose files').setInputFiles({
    name: 'thirteen.json',
    mimeType: 'application/json',
    buffer: Buffer.from(text),
  })
  const times: number[] = []
  const done = page
    .getByRole('button', { name: 'Enter into the register' })
    .waitFor({ timeout: 90_000 })
  let waiting = true
  void done.finally(() => (waiting = false))
  while (waiting) {
    const started = performance.now()
    const answer = await request.get('/api/v1/apis', { headers: { cookie } })
    expect(answer.ok()).toBe(true)
    times.push(performance.now() - started)
    await new Promise((resolve) => setTimeout(resolve, 25))
  }
  await done
  const sorted = times.sort((a, b) => a - b)
  console.log(
    `  register while reading 13 MB: ${sorted.length} answers, p95 ${sorted[Math.floor(sorted.length * 0.95)]!.toFixed(0)} ms`,
  )
  expect(sorted.length).toBeGreaterThan(10)
})

test('holds 500 APIs, drawing only the rows in sight', async ({ page }) => {
  await signIn(page, 'wren')
  const row = (n: number) => ({
    api: `made-${n}`,
    title: `Made ${String(n).padStart(3, '0')}`,
    team: 'Field',
    audience: 'private',
    lifecycle: 'active',
    format: 'OpenAPI 3.1',
    version: '1.0.0',
    revision: 1,
    savedAt: '2026-11-01T00:00:00Z',
    findings: { must: 0, should: 0, may: 0 },
    cells: [
      {
        stage: 'Trial',
        version: '1.0.0',
        mark: 'in-step',
        differences: 0,
        mocked: false,
        unprotected: false,
        others: 0,
      },
    ],
    waiting: 0,
    draft: false,
  })
  await page.route('**/api/v1/apis?*', (route) =>
    route.fulfill({
      json: {
        stages: ['Trial', 'Rehearsal', 'Live'],
        items: Array.from({ length: 500 }, (_, n) => row(n)),
      },
    }),
  )
  await page.goto('/?sort=title')
  await expect(page.getByText('500 APIs across three stages')).toBeVisible()
  expect(await page.getByRole('listitem').count()).toBeLessThan(60)
  for (let i = 0; i < 40; i++) await page.keyboard.press('j')
  await expect(page.locator('[data-row="40"]')).toBeInViewport()
  await expect(margin(page).getByRole('heading', { level: 2 })).toHaveText('Made 040')
})

test('keeps its contrast in the dark', async ({ page }) => {
  await page.emulateMedia({ colorScheme: 'dark' })
  await signIn(page, 'imara')
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark')
  for (const path of [
    '/',
    '/drift',
    '/promotions',
    '/rulebook',
    '/apis/payments-desk/placements',
  ]) {
    await page.goto(path)
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
    await page.waitForTimeout(400)
    await expectAccessible(page)
  }
})
