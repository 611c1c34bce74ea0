import { readFileSync } from 'node:fs'
import { expect, test, type Page } from '@playwright/test'
import { expectAccessible, fate, hydrants, margin, signIn, expectCarriedOut } from './support'

/** One definition goes the whole way, as its owner, an operator, a reviewer and a reader see it. */
test.describe.configure({ mode: 'serial' })

const source = '/apis/hydrant-checks/source'
let key = ''

/** The table of planted faults in the demo's README: page and words. */
function plantedFaults(): { page: string; shows: string }[] {
  const rows = readFileSync('demo/README.md', 'utf8')
    .split('\n')
    .filter((line) => line.startsWith('| ') && line.includes('`/'))
  return rows.map((line) => {
    const [, , page, shows] = line.split('|').map((cell) => cell.trim())
    return { page: page!.replaceAll('`', ''), shows: shows! }
  })
}

async function typeAtEnd(page: Page, text: string) {
  await page.locator('.cm-content').click()
  await page.keyboard.press('Control+End')
  await page.keyboard.insertText(text)
}

test('1. signs in, and says what is wrong with a wrong password', async ({ page }) => {
  await page.goto('/ledger')
  await expect(page).toHaveURL(/sign-in\?to=\/ledger/)
  await page.getByLabel('Name').fill('imara')
  await page.getByLabel('Password').fill('wrong')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('alert')).toContainText('The name or the password is wrong')
  await expectAccessible(page)
  await page.getByLabel('Password').fill('elm-demo-2026')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('heading', { name: 'Ledger', level: 1 })).toBeVisible()
  await page.getByRole('button', { name: 'Sign out' }).click()
  // Leaving the page at once would take the request back.
  await expect(page).toHaveURL(/sign-in/)
  await page.goto('/')
  await expect(page).toHaveURL(/sign-in/)
})

test('2. reads the register: sentence, filters in the address, keys, margin', async ({ page }) => {
  await signIn(page, 'imara')
  await expect(page.getByText('13 APIs across three stages')).toBeVisible()
  await expect(page.locator('[data-row="0"]')).toContainText('Supply Interruptions')
  await expect(margin(page)).toContainText('What differs in Live')
  await expectAccessible(page)
  await page.getByRole('button', { name: /break a MUST/ }).click()
  await expect(page).toHaveURL(/only=must/)
  await expect(page.getByRole('listitem')).toHaveCount(4)
  await page.reload()
  await expect(page.getByRole('listitem')).toHaveCount(4)
  await page.getByRole('button', { name: 'Clear' }).click()
  await expect(page.getByRole('listitem')).toHaveCount(13)
  await page.keyboard.press('j')
  await expect(margin(page).getByRole('heading', { level: 2 })).toHaveText('Meter Readings')
  await page.keyboard.press('m')
  await expect(margin(page)).toBeFocused()
  await page.keyboard.press('/')
  await page.keyboard.type('reservoir')
  await expect(page.getByRole('listitem')).toHaveCount(1)
  await page.keyboard.press('Escape')
  await page.getByRole('searchbox').first().fill('nothing by this name')
  await expect(page.getByText('No API fits these filters')).toBeVisible()
})

test('the demo shows every fault that its README lists', async ({ page }) => {
  test.setTimeout(120_000)
  await signIn(page, 'wren')
  const faults = plantedFaults()
  expect(faults.length).toBeGreaterThan(10)
  for (const fault of faults) {
    await page.goto(fault.page)
    await expect(page.getByText(fault.shows).first(), fault.page).toBeVisible()
  }
})

test('3. brings a definition in: problems with places, nothing lost, duplicates recognised', async ({
  page,
}) => {
  await signIn(page, 'tomas', '/bring-in')
  const broken = hydrants().replace('title: Hydrant Checks', 'title: [Hydrant Checks')
  await page.getByLabel('Or paste the text').fill(broken)
  await page.getByRole('button', { name: 'Read it' }).click()
  await expect(page.getByRole('alert')).toContainText('not a readable definition')
  await expect(page.getByRole('cell', { name: /pasted text:\d+:\d+/ }).first()).toBeVisible()
  await page.getByRole('button', { name: 'Go back to the text' }).click()
  await expect(page.getByLabel('Or paste the text')).toHaveValue(broken)
  await page.reload()
  await expect(page.getByLabel('Or paste the text')).toHaveValue(broken)
  await page.getByLabel('Or paste the text').fill(hydrants())
  await page.getByRole('button', { name: 'Read it' }).click()
  await expect(page.getByText('field@brackenmere.example')).toBeVisible()
  await expect(page.getByText('2 operations, 2 schemas')).toBeVisible()
  await page.getByLabel('Audience').selectOption('partner')
  await page.getByRole('button', { name: 'Enter into the register' }).click()
  await expect(page).toHaveURL(source)
  await expect(page.getByRole('heading', { name: 'Hydrant Checks' })).toBeVisible()
  await expect(page.getByText('It keeps every rule.')).toBeVisible()
  await page.goto('/bring-in')
  await page.getByLabel('or choose files').setInputFiles({
    name: 'again.yaml',
    mimeType: 'application/yaml',
    buffer: Buffer.from(hydrants()),
  })
  await expect(page.getByText('There is nothing to add')).toBeVisible()
})

test('3. brings a definition in from an address, and refuses private ones', async ({ page }) => {
  await signIn(page, 'tomas', '/bring-in')
  await page.getByLabel('From addresses').fill('http://127.0.0.1:22/definition.yaml')
  await page.getByRole('button', { name: 'Fetch it' }).click()
  await expect(page.getByText(/private, loopback or link-local/)).toBeVisible()
  await page.getByRole('button', { name: 'Go back to the text' }).click()
  await page
    .getByLabel('From addresses')
    .fill(`${process.env['ELM_STANDINS']}/definitions/leak-sensors.yaml`)
  await page.getByRole('button', { name: 'Fetch it' }).click()
  await expect(page.getByText(/revision 1 of Leak Sensors/)).toBeVisible()
  await expectAccessible(page)
})

test('3. takes a dropped file', async ({ page }) => {
  await signIn(page, 'tomas', '/bring-in')
  const transfer = await page.evaluateHandle((text) => {
    const data = new DataTransfer()
    data.items.add(new File([text], 'dropped.yaml'))
    return data
  }, 'openapi: 3.1.0\ninfo: [\n')
  await page.locator('.drop').dispatchEvent('drop', { dataTransfer: transfer })
  await expect(page.getByRole('alert')).toContainText('dropped.yaml is not a readable definition')
  await expect(page.getByRole('cell', { name: /dropped\.yaml:\d+:\d+/ }).first()).toBeVisible()
})

test('4. and 5. edits with findings beside their lines, keeps unsaved text, saves a revision', async ({
  page,
}) => {
  await signIn(page, 'tomas', source)
  await expect(page.locator('.cm-line').first()).toHaveText('openapi: 3.1.0')
  await page.getByRole('button', { name: /GET.*\/checks\/\{checkId\}/ }).click()
  await expect(page.locator('.cm-activeLine')).toContainText('get:')
  await typeAtEnd(
    page,
    '    Spare_Part:\n      type: object\n      properties:\n        Part_no: { type: string }\n',
  )
  await expect(
    margin(page).getByText('Write the property "Part_no" of Spare_Part in camelCase'),
  ).toBeVisible()
  await expect(margin(page).getByText('Nothing uses the schema Spare_Part')).toBeVisible()
  const note = margin(page).locator('.note', { hasText: 'Part_no' })
  const line = page.locator('.cm-line.at-SHOULD', { hasText: 'Part_no' })
  const gap = Math.abs((await note.boundingBox())!.y - (await line.boundingBox())!.y)
  expect(gap).toBeLessThan(90)
  await page.waitForTimeout(500)
  await page.reload()
  await expect(page.getByText(/Your unsaved text of .* is back/)).toBeVisible()
  await expect(page.locator('.cm-content')).toContainText('openapi: 3.1.0')
  await page.getByRole('button', { name: 'Save as revision 2' }).click()
  await expect(page.getByText('Saved as revision 2.')).toBeVisible()
  await page.goto('/findings?api=hydrant-checks')
  await expect(
    page.getByText('Write the property "Part_no" of Spare_Part in camelCase'),
  ).toBeVisible()
  await expectAccessible(page)
})

test('4. refuses a save on top of somebody else’s, with both texts kept', async ({
  page,
  browser,
}) => {
  await signIn(page, 'tomas', source)
  await expect(page.locator('.cm-line').first()).toBeVisible()
  const other = await (await browser.newContext()).newPage()
  await signIn(other, 'imara', source)
  await expect(other.locator('.cm-line').first()).toBeVisible()
  await typeAtEnd(page, '# mine\n')
  await typeAtEnd(other, '# theirs\n')
  await other.getByRole('button', { name: 'Save as revision 3' }).click()
  await expect(other.getByText('Saved as revision 3.')).toBeVisible()
  await expect(page.getByText(/Imara Holt saved revision 3 meanwhile/)).toBeVisible()
  await page.getByRole('button', { name: /Save as revision/ }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog).toContainText('Somebody saved while you were writing')
  await expect(dialog.locator('.cm-merge-a')).toContainText('# theirs')
  await expect(dialog.locator('.cm-merge-b')).toContainText('# mine')
  await dialog.getByRole('button', { name: 'Save the right side as revision 4' }).click()
  await expect(page.getByText('Saved as revision 4.')).toBeVisible()
  await other.close()
})

test('4. says which role may save', async ({ page }) => {
  await signIn(page, 'wren', source)
  await expect(page.locator('.cm-line').first()).toBeVisible()
  await typeAtEnd(page, '# reader\n')
  await page.getByRole('button', { name: /Save as revision/ }).click()
  await expect(page.getByRole('alert')).toContainText(
    'takes the role governance or owner for Network Control. You are signed in as reader',
  )
})

test('6. places it: undecided operations stop it, the gateway confirms', async ({ page }) => {
  await signIn(page, 'tomas', '/apis/hydrant-checks/place')
  await expect(page.getByText('2 undecided operations stop the placement')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Place on edge' })).toBeDisabled()
  await expect(
    page.getByText('https://trial.api.brackenmere.example/hydrant-checks/v1/checks/{checkId}'),
  ).toBeVisible()
  await page.getByLabel('Treatment of GET /checks', { exact: true }).selectOption('mock')
  await page.getByLabel('Treatment of GET /checks/{checkId}').selectOption('withheld')
  await page.getByRole('button', { name: 'Place on edge' }).click()
  await expect(page.getByRole('alert')).toContainText('withheld without a reason')
  await page.getByLabel('Why GET /checks/{checkId} is withheld').fill('Not ready yet')
  await expectAccessible(page)
  await fate('stop-gateways')
  await page.getByRole('button', { name: 'Place on edge' }).click()
  await expect(page.getByRole('alert')).toContainText('Nothing was changed')
  await fate('start-gateways')
  await page.getByRole('button', { name: 'Place on edge' }).click()
  await expectCarriedOut(page)
  await page.goto('/apis/hydrant-checks/placements')
  await page.getByLabel('Client the key is for').fill('Fernhill Plumbing')
  await page.getByRole('button', { name: 'Issue a key' }).click()
  key = await page.locator('.secret').innerText()
  expect(key).toMatch(/^elm_/)
  await expectAccessible(page)
})

test('7. tries it: 401, 200 from the mock, 404 and 429 in words', async ({ page }) => {
  await signIn(page, 'tomas', '/desk?placement=hydrant-checks-trial-1')
  const send = async () => {
    const answered = page.waitForResponse('**/api/v1/requests')
    await page.getByRole('button', { name: 'Send' }).click()
    await answered
  }
  await send()
  await expect(page.locator('.status')).toHaveText('401')
  await expect(page.locator('.verdict')).toContainText('no key in the header X-Api-Key')
  await page.getByLabel('Credential', { exact: true }).fill(key)
  await send()
  await expect(page.locator('.status')).toHaveText('200')
  await expect(page.locator('.answer pre')).toContainText('chk-1')
  await expect(page.locator('.way')).toContainText('no backend was called')
  await expectAccessible(page)
  const saved = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Download as Arazzo' }).click()
  const probe = await (await saved).createReadStream()
  let text = ''
  for await (const part of probe) text += String(part)
  expect(text).toContain('#/paths/~1checks/get')
  expect(text).toContain('$statusCode == 200')
  expect(text).not.toContain(key)
  await page.getByLabel('Path and query', { exact: true }).fill('/hydrant-checks/v1/cheks')
  await send()
  await expect(page.locator('.status')).toHaveText('404')
  await expect(page.locator('.verdict')).toContainText(
    'The nearest route is GET /hydrant-checks/v1/checks',
  )
  await page.goto('/placements/hydrant-checks-trial-1')
  await page.getByRole('button', { name: /Rate limit/ }).click()
  await margin(page).getByLabel('Requests', { exact: true }).fill('1')
  await margin(page).getByLabel('Requests', { exact: true }).blur()
  await page.getByRole('button', { name: 'Apply the change' }).click()
  await expectCarriedOut(page)
  await page.goto('/desk?placement=hydrant-checks-trial-1')
  await page.getByLabel('Credential', { exact: true }).fill(key)
  await send()
  await send()
  await expect(page.locator('.status')).toHaveText('429')
  await expect(page.locator('.verdict')).toContainText(
    /limit of 1 \/ minute is used up; the next request is taken in \d+ s/,
  )
})

test('8. sees a hand edit side by side, and resolves it either way', async ({ page }) => {
  await signIn(page, 'oskar', '/apis/hydrant-checks/placements')
  await page.getByRole('button', { name: 'Raise the limit' }).click()
  await expect(margin(page).locator('.difference')).toContainText('1 / minute')
  await expect(margin(page).locator('.difference')).toContainText('10 / minute')
  await page.goto('/')
  await expect(page.locator('[data-row]', { hasText: 'Hydrant Checks' })).toContainText('≠ 1')
  await page.goto('/drift?api=hydrant-checks')
  await page.getByRole('button', { name: 'Hydrant Checks' }).click()
  await expect(margin(page)).toContainText('changed past the ledger')
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Put the ledger back' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Put the ledger back' }).click()
  await expect(page.getByRole('button', { name: 'Hydrant Checks' })).toBeHidden()
  await page.goto('/apis/hydrant-checks/placements')
  await page.getByRole('button', { name: 'Raise the limit' }).click()
  await margin(page).getByRole('button', { name: 'Keep the gateway’s' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Keep the gateway’s' }).click()
  await expect(page.getByRole('row', { name: /Trial/ })).toContainText('10 / minute')
  await expect(margin(page)).toContainText('in step')
})

test('8. notices a hand edit nobody announced, by the scheduled reading', async ({ page }) => {
  test.setTimeout(120_000)
  await signIn(page, 'oskar', '/drift')
  await expect(page.getByText(/last reading was at/)).toBeVisible()
  await expect(page.getByRole('row', { name: /Hydrant Checks/ })).toHaveCount(0)
  await fate('edit-gateway')
  await expect(page.getByRole('row', { name: /Hydrant Checks/ })).toContainText('77 / minute', {
    timeout: 80_000,
  })
  await page.getByRole('button', { name: 'Hydrant Checks' }).click()
  await expect(margin(page).locator('.difference')).toContainText('77 / minute')
  await margin(page).getByRole('button', { name: 'Put the ledger back' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Put the ledger back' }).click()
  await expect(page.getByRole('row', { name: /Hydrant Checks/ })).toHaveCount(0)
  await page.goto('/drift/history')
  await expect(page.getByRole('row', { name: /Hydrant Checks/ }).first()).toContainText(
    'the ledger was put back',
  )
  await page.goto('/gateways')
  await expect(page.getByText('All of them can be read.')).toBeVisible()
  await expectAccessible(page)
})

test('9. promotes it: gates, approval by somebody else, preview, the act', async ({ page }) => {
  await signIn(page, 'tomas', '/apis/hydrant-checks/placements')
  await page.getByRole('button', { name: 'Promote to Rehearsal' }).click()
  await page.getByLabel('What reviewers should know').fill('First of its kind')
  await page.getByRole('button', { name: 'Ask for promotion' }).click()
  await expect(
    page.getByRole('heading', { name: 'Hydrant Checks 1.0.0 into Rehearsal' }),
  ).toBeVisible()
  await expect(page.getByText('Nothing stands at this address yet')).toBeVisible()
  await expect(page.getByText('+ GET /checks')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Promote to Rehearsal' })).toBeDisabled()
  await page.getByRole('button', { name: 'Approve' }).click()
  await expect(page.getByRole('alert')).toContainText(
    'Approving a promotion takes the role governance or reviewer',
  )
  const address = new URL(page.url()).pathname
  await signIn(page, 'ruth', address)
  await page.getByLabel('What you looked at').fill('Mock and rules')
  await page.getByRole('button', { name: 'Approve' }).click()
  await expect(page.getByText('Approved by Ruth Amadi')).toBeVisible()
  await expectAccessible(page)
  await signIn(page, 'oskar', address)
  await page.getByRole('button', { name: 'Promote to Rehearsal' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Promote' }).click()
  await expect(page.getByText('Done: 1.0.0 runs in Rehearsal')).toBeVisible()
  await page.goto('/')
  await expect(
    page.locator('[data-row]', { hasText: 'Hydrant Checks' }).locator('.run'),
  ).toHaveAttribute('title', /1\.0\.0 in Trial, Rehearsal: in step/)
})

test('10. reads and verifies the ledger', async ({ page }) => {
  await signIn(page, 'wren', '/ledger')
  await page.getByLabel('Filter the ledger').fill('hydrant')
  await expect(page.getByRole('row', { name: /promotion done hydrant-checks/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /supply-interruptions/ })).toHaveCount(0)
  await page
    .getByRole('row', { name: /drift kept/ })
    .getByRole('button')
    .click()
  await expect(margin(page)).toContainText('rate.requests')
  await page.getByRole('button', { name: 'Verify', exact: true }).click()
  await expect(page.getByText(/The ledger holds: \d+ entries computed again/)).toBeVisible()
  await expectAccessible(page)
})

test('shows the rulebook, and its own API in its own register', async ({ page }) => {
  await signIn(page, 'wren', '/rulebook')
  await expect(page.getByText('of House rules of Brackenmere Water')).toBeVisible()
  await expectAccessible(page)
  await page.goto('/apis/elm-ledger')
  await expect(page.getByText('Everything the screens do goes through here')).toBeVisible()
  await expectAccessible(page)
})
