import { readFileSync } from 'node:fs'
import { expect, test } from '@playwright/test'
import type { ImpactItem } from '../../shared/api/impact'
import { expectAccessible, fate, margin, signIn } from './support'

/** Rules from the first word to the estate: as a governance engineer, an owner and a reviewer meet them. */
const rulebook = '/rulebook/draft?rule=list-paged'

test('measures what a change would break before anybody is told', async ({ page }) => {
  await signIn(page, 'imara', rulebook)
  await expect(page.getByLabel('What it asks, in one line')).toHaveValue('Page every list')
  await expect(margin(page).getByText('breaks it, 1')).toBeVisible()
  await page.getByLabel('Level').selectOption('MUST')
  await margin(page).getByRole('button', { name: 'Measure it' }).click()
  const weighs = margin(page).getByText(/places would newly fail, \d+ weigh otherwise/)
  await expect(weighs).toBeVisible()
  await expect(margin(page).getByRole('button', { name: 'Measure again' })).toBeVisible()
  await margin(page)
    .getByRole('button', { name: /^Page every list/ })
    .click()
  const places = page.getByRole('dialog', { name: 'Page every list' })
  await expect(places.getByText('GET /meters/{meterId}/alerts returns a list')).toBeVisible()
  await expect(places.getByRole('link', { name: /line \d+/ }).first()).toBeVisible()
  await page.keyboard.press('Escape')
  // While it fades, its letters are paler than they ever stand.
  await expect(places).toHaveCount(0)
  await expectAccessible(page)
})

test('measures on after its worker was killed, while the register answers', async ({
  page,
  request,
}) => {
  test.setTimeout(120_000)
  await signIn(page, 'imara')
  const cookie = (await page.context().cookies())
    .map(({ name, value }) => `${name}=${value}`)
    .join('; ')
  const headers = { cookie }
  // Every rule weighs otherwise, and those that ask for the domain find something else.
  const text = readFileSync('rulebooks/house.yaml', 'utf8')
    .replace('domain: brackenmere.example', 'domain: elsewhere.example')
    .replaceAll('level: SHOULD', 'level: MUST')
  const started = await request.post('/api/v1/rulebooks/house/impacts', { headers, data: { text } })
  expect(started.status()).toBe(202)
  const { impact } = (await started.json()) as { impact: string }
  const look = async () =>
    (await (await request.get(`/api/v1/impacts/${impact}`, { headers })).json()) as ImpactItem
  await expect.poll(async () => (await look()).done, { intervals: [50] }).toBeGreaterThan(0)
  await fate('kill-worker')
  const times: number[] = []
  for (let state = ''; state !== 'done'; state = (await look()).state) {
    const asked = performance.now()
    expect((await request.get('/api/v1/apis', { headers })).ok()).toBe(true)
    times.push(performance.now() - asked)
    await new Promise((resolve) => setTimeout(resolve, 25))
  }
  const { done, total, rules } = await look()
  expect(done).toBe(total)
  expect(rules.map(({ rule }) => rule)).toContain('contact-email')
  const sorted = times.sort((a, b) => a - b)
  console.log(
    `  register while an impact is measured: ${sorted.length} answers, p95 ${sorted[Math.floor(sorted.length * 0.95)]!.toFixed(0)} ms`,
  )
})

test('keeps what is written, says what is wrong with a rule, and refuses to publish it', async ({
  page,
}) => {
  await signIn(page, 'imara', '/rulebook/draft?rule=operation-summary')
  const expects = page.getByLabel('Expect')
  const before = (await expects.textContent()) ?? ''
  await expects.fill('operation.sumary != ""')
  await expects.blur()
  await expect(
    margin(page)
      .getByText(/sumary/)
      .first(),
  ).toBeVisible()
  await page.waitForTimeout(600)
  await page.reload()
  await expect(page.getByText(/Your unsaved text of .* is back/)).toBeVisible()
  await expect(expects).toHaveText('operation.sumary != ""')
  await margin(page).getByLabel('What changes, and why').fill('A rule that cannot be')
  await expect(page.getByRole('button', { name: 'Publish as an edition' })).toBeDisabled()
  await page.getByRole('button', { name: 'Take the saved draft instead' }).click()
  await expect(expects).toHaveText(before)
})

test('tries a rule on what the register knows, and on another API', async ({ page }) => {
  await signIn(page, 'imara', '/rulebook/draft?rule=operation-secured')
  const breaks = page.getByRole('textbox', { name: /^Sample \d+ that breaks it$/ })
  await expect(breaks.first()).toBeVisible()
  const had = await breaks.count()
  await page.getByRole('button', { name: 'Add a sample' }).last().click()
  await expect(breaks).toHaveCount(had + 1)
  const added = margin(page).getByText(`breaks it, ${had + 1}`)
  await expect(added).toBeVisible()
  await page.getByRole('button', { name: 'Facts of the register' }).last().click()
  await page.getByRole('combobox', { name: 'Audience' }).last().selectOption('public')
  // Of a public API the rule asks nothing, so that the piece breaks it no longer.
  await expect(margin(page).getByText('✗')).toHaveCount(1)
  await page.getByRole('button', { name: 'Put another API beside it' }).last().click()
  await expect(page.getByLabel('Another API has')).toHaveCount(1)
  await page.getByRole('button', { name: 'As text' }).click()
  const text = page.locator('.cm-content')
  await expect(text).toContainText('audience: public')
  await page.getByRole('button', { name: 'As a form' }).click()
  await expect(page.getByRole('combobox', { name: 'Audience' }).last()).toHaveValue('public')
  await page.getByRole('button', { name: 'Remove this sample' }).last().click()
  await expect(breaks).toHaveCount(had)
  await expect(added).toHaveCount(0)
})

test('publishes an edition, and the register is checked against it', async ({ page }) => {
  await signIn(page, 'imara', rulebook)
  await page.getByLabel('Level').selectOption('MUST')
  await margin(page).getByLabel('What changes, and why').fill('Lists grow; paging is a must now')
  await page.getByRole('button', { name: 'Publish as an edition' }).click()
  await expect(page.getByText(/Edition 3 is in force/)).toBeVisible()
  await page.goto('/findings?rule=list-paged&level=MUST&api=meter-readings')
  await expect(page.getByText('GET /meters/{meterId}/alerts returns a list')).toBeVisible()
  await page.goto('/rulebook/editions')
  await expect(margin(page).getByText('Lists grow; paging is a must now')).toBeVisible()
  await expectAccessible(page)
})

test('opens its page to everybody', async ({ page, browser }) => {
  const stranger = await (await browser.newContext()).newPage()
  await stranger.goto('/guide/house')
  await expect(stranger).toHaveURL(/sign-in/)
  await signIn(page, 'imara', rulebook)
  await page.getByRole('button', { name: 'Open it to everybody' }).click()
  await expect(page.getByText('is open to everybody')).toBeVisible()
  await stranger.goto('/guide/house')
  await expect(stranger.getByRole('heading', { level: 1 })).toContainText('House rules')
  await stranger.close()
})

test('fixes a finding by keyboard, and suggests what may be written', async ({ page }) => {
  await signIn(page, 'tomas', '/apis/supply-interruptions/source')
  await expect(page.locator('.cm-line').first()).toBeVisible()
  await expect(margin(page).getByText(/\d+ findings/)).toBeVisible()
  await page.locator('.cm-content').click()
  await page.keyboard.press('Control+Home')
  for (let i = 0; i < 40; i++) {
    await page.keyboard.press('F8')
    if ((await page.locator('.cm-activeLine').first().innerText()).includes('opening_hours')) break
  }
  await page.keyboard.press('Control+.')
  const dialog = page.getByRole('dialog', { name: 'Write properties in camelCase' })
  await expect(dialog.getByText('openingHours').first()).toBeVisible()
  await dialog.getByRole('button', { name: 'Write it into the text' }).click()
  await expect(page.locator('.cm-activeLine').first()).toContainText('openingHours')
  await expect(margin(page).getByText('opening_hours')).toHaveCount(0)
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('End')
  await page.keyboard.press('Enter')
  await page.keyboard.type('maxL')
  await expect(page.locator('.cm-tooltip-autocomplete')).toContainText('maxLength')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Discard' }).click()
  await expect(page.locator('.cm-content')).toBeVisible()
})

test('asks for a waiver, which somebody else approves', async ({ page }) => {
  await signIn(page, 'tomas', '/findings?api=supply-interruptions&rule=contact-email')
  await page.getByLabel('Choose all').check()
  const acts = page.getByRole('group', { name: 'What to do with them' })
  await acts.getByRole('button', { name: 'Ask for a waiver' }).click()
  await page.getByLabel('Why').fill('The mailbox is being moved to the new domain.')
  await page.getByRole('button', { name: 'Ask for it' }).click()
  await expect(page.getByText('1 waiver asked for; somebody else decides.')).toBeVisible()
  await page.goto('/findings/waivers?state=waiting')
  await page.getByRole('button', { name: /contact e-mail/ }).click()
  await expect(margin(page).getByText('Somebody else than who asked decides')).toBeVisible()
  await signIn(page, 'ruth', '/findings/waivers?state=waiting')
  await page.getByRole('button', { name: /contact e-mail/ }).click()
  await margin(page)
    .getByRole('button', { name: /Approve until/ })
    .click()
  await expect(page.getByRole('button', { name: /contact e-mail/ })).toBeHidden()
  await page.goto('/findings?api=supply-interruptions&rule=contact-email')
  await expect(page.getByText('Nothing is found with these filters')).toBeVisible()
  await page.goto('/findings?api=supply-interruptions&rule=contact-email&status=waived')
  await expect(page.getByText('Give a contact e-mail at brackenmere.example')).toBeVisible()
  await expectAccessible(page)
})

test('puts a fix before its owners, who make it a revision or decline', async ({ page }) => {
  await signIn(page, 'nadia', '/findings/fixes?state=waiting&api=meter-readings')
  await expect(page.locator('.cm-mergeView')).toContainText('meterNo')
  await expect(margin(page).getByLabel('Version of the fixed text')).toHaveValue('4.0.1')
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Make it the next revision' }).click()
  await expect(page.getByText(/Meter Readings has revision \d+ now/)).toBeVisible()
  await page.goto('/findings?api=meter-readings&rule=property-casing')
  await expect(page.getByText('Nothing is found with these filters')).toBeVisible()
  await page.goto('/findings/fixes?state=waiting&api=payments-desk')
  await margin(page).getByLabel('What to say with it').fill('The tills know it by that name.')
  await margin(page).getByRole('button', { name: 'Decline' }).click()
  await expect(page.getByText(/takes the role .*owner for Customer/)).toBeVisible()
  await signIn(page, 'edwin', '/findings/fixes?state=waiting&api=payments-desk')
  await margin(page).getByLabel('What to say with it').fill('The tills know it by that name.')
  await margin(page).getByRole('button', { name: 'Decline' }).click()
  await expect(page.getByText('Declined for Payments Desk.')).toBeVisible()
})

test('shows the estate as rules by APIs, and leads to the places', async ({ page }) => {
  await signIn(page, 'wren', '/findings/estate')
  await expect(page.getByRole('heading', { name: 'Rules by APIs' })).toBeVisible()
  await expect(page.locator('.js-plotly-plot').first()).toBeVisible()
  await expectAccessible(page)
  await margin(page).getByRole('link', { name: /\d+/ }).first().click()
  await expect(page).toHaveURL(/\/findings\?/)
})

test('makes a token for a program, shows it once, and ends it', async ({ page }) => {
  await signIn(page, 'wren', '/tokens')
  await page.getByLabel('What it is for').fill('A look from outside')
  await page.getByRole('button', { name: 'Make it' }).click()
  const secret = await page.locator('.issued code').innerText()
  const ask = () =>
    fetch(`${process.env['ELM_ADDRESS'] ?? 'http://127.0.0.1:4310'}/api/v1/self`, {
      headers: { authorization: `Bearer ${secret}` },
    })
  expect(await (await ask()).json()).toMatchObject({ name: 'wren' })
  await page.reload()
  await expect(page.getByText('A look from outside')).toBeVisible()
  await expect(page.getByText(secret)).toHaveCount(0)
  await expectAccessible(page)
  await page.getByRole('button', { name: 'End it' }).click()
  await expect(page.getByText('A look from outside')).toHaveCount(0)
  expect((await ask()).status).toBe(401)
})

test('the shipped rulebook is the one the demo checks against', async ({ page }) => {
  await signIn(page, 'wren', '/rulebook')
  const rules = readFileSync('rulebooks/house.yaml', 'utf8').match(/^ {2}- id: .*\n {4}group:/gm)
  const rows = page.locator('tbody tr:not(.group)')
  await expect(rows).toHaveCount(rules!.length)
})

test('a finding in the margin is called by its level, whatever its rule is called', async ({
  page,
}) => {
  await signIn(page, 'wren', '/apis/tanker-dispatch/source?line=60')
  const note = margin(page)
    .getByText(/error-described/)
    .first()
  await expect(note).toBeVisible({ timeout: 20_000 })
  await expect(margin(page).getByText('ERROR', { exact: true })).toHaveCount(0)
})
