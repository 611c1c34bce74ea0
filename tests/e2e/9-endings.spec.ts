import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

test('callers of what breaks are told before it comes', async ({ page, request }) => {
  await signIn(page, 'nadia', '/promotions?api=meter-readings')
  await page.getByRole('link', { name: /Meter Readings 4.0.0 into Live/ }).click()
  await expect(page.getByText(/3.9.2 is retired: there are no new keys/)).toBeVisible()
  await expect(margin(page).getByText(/call what breaks and were not told/)).toBeVisible()
  const row = page.getByRole('row', { name: /Tarn Institute/ })
  await expect(row).toContainText('not told')

  // An address that is none is refused, and what stood there stays.
  await row.getByRole('button', { name: 'Change' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel(/Where Tarn Institute is told/).fill('tarn@localhost')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('alert')).toContainText('A contact is a mail address')
  await expect(row).toContainText('api@tarn-institute.example')

  await page.getByRole('button', { name: /^Tell 4 callers by mail$/ }).click()
  await expect(dialog).toContainText('Alder Homes')
  await expectAccessible(page)
  await dialog.getByLabel('What they are told').fill('Readings have a unit of their own in v4.')
  await dialog.getByRole('button', { name: 'Send' }).click()
  await expect(row).toContainText('told by mail by Nadia Corrie', { timeout: 20_000 })
  await expect(margin(page).getByText(/days of notice are left/)).toBeVisible()
  const letters = await request.get(`${process.env['ELM_STANDINS']}/mailbox/letters`)
  expect(await letters.text()).toContain('Readings have a unit of their own in v4.')
  await expectAccessible(page)
})

test('what ends stands in a calendar, and an end is asked for where it stands', async ({
  page,
}) => {
  await signIn(page, 'bryn', '/promotions/endings')
  await expect(page.getByRole('row', { name: /Hydrant Register/ })).toContainText('deprecated')
  await expectAccessible(page)
  await page.getByRole('button', { name: /still called/ }).click()
  await expect(page).toHaveURL(/only=called/)

  await page.goto('/placements/tanker-dispatch-live-1?view=callers')
  await expect(page.getByText('No end is announced.')).toBeVisible()
  await page.getByLabel('Served until').fill('2020-01-01')
  await page.getByRole('button', { name: 'Ask for this end' }).click()
  await expect(page.getByRole('alert').first()).toContainText('has to be after today')
  await page.getByLabel('How it ends').selectOption('Retired: taken off on the day')
  await page.getByLabel('Served until').fill('2035-03-31')
  await page.getByRole('button', { name: 'Ask for this end' }).click()
  await expect(page.getByRole('heading', { name: /^End Tanker Dispatch/ })).toBeVisible()
  await expect(page.getByText(/it is taken off on 2035-03-31/)).toBeVisible()
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Withdraw' }).click()
  await expect(page.getByText('This request was withdrawn.')).toBeVisible()
})

test('a probe is made of a definition, sent, and says what is wrong', async ({ page }) => {
  await signIn(page, 'tomas', '/apis/reservoir-levels/probes')
  await expect(page.getByText('No probe.')).toBeVisible()
  await page.getByRole('button', { name: 'Make one from the definition' }).click()
  const text = page.getByLabel('Arazzo 1.0')
  await expect(text).toHaveValue(/arazzo: 1.0.1/)
  await expectAccessible(page)
  const made = await text.inputValue()
  await text.fill(made.replace('/get', '/nothing'))
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('alert')).toContainText(/Line \d+: The definition has no operation/)
  await text.fill(made)
  await page.getByLabel('Title').fill('What can be read')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('never sent', { exact: true })).toBeVisible()
  await margin(page).getByRole('button', { name: 'Send now' }).click()
  await expect(page.getByRole('row', { name: /What can be read/ })).toContainText(
    /[✓✕] north-edge\s*[✓✕] south-edge/,
    { timeout: 30_000 },
  )
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Remove' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click()
  await expect(page.getByText('No probe.')).toBeVisible()
})

test('the whole ledger goes into files, and applied they change nothing', async ({ page }) => {
  await signIn(page, 'ada')
  const until = new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10)
  const data = { name: 'Files', scopes: ['read', 'write'], until }
  const made = await page.request.post('/api/v1/tokens', { data })
  const { secret } = (await made.json()) as { secret: string }
  const folder = mkdtempSync(join(tmpdir(), 'elm-whole-'))
  const run = (...args: string[]) =>
    new Promise<{ status: number | null; said: string }>((resolve) => {
      const server = ['--server', process.env['ELM_ADDRESS']!, '--token', secret]
      const child = spawn(process.execPath, ['dist/cli.mjs', ...args, ...server])
      let said = ''
      child.stdout.on('data', (part) => (said += String(part)))
      child.stderr.on('data', (part) => (said += String(part)))
      child.on('close', (status) => resolve({ status, said }))
    })
  try {
    expect(await run('export', '--out', folder)).toMatchObject({ status: 0 })
    const last = async () => {
      const entries = await page.request.get('/api/v1/ledger?limit=200')
      const { items } = (await entries.json()) as { items: { actor: string; number: number }[] }
      return items.find(({ actor }) => actor === 'ada')?.number
    }
    const before = await last()
    const applied = await run('apply', '--file', folder)
    expect(applied.said).toMatch(/^0 changes, \d+ stood as they are wanted/)
    expect(applied.status).toBe(0)
    expect(await last()).toBe(before)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
