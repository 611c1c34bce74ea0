import { readFileSync } from 'node:fs'
import { expect, test, type Page } from '@playwright/test'
import { strToU8, zipSync } from 'fflate'
import { expectAccessible, signIn } from './support'

const demo = (name: string) => readFileSync(`demo/definitions/${name}`)

/** An archive of the test's own: a WSDL with its schemas under another name, an OpenAPI, something broken. */
function archive(): Buffer {
  const lab = (file: string) => demo(`lab-sampling/1.8.0/${file}`)
  const service = lab('lab-sampling.wsdl').toString().replaceAll('LabSampling', 'RiverSampling')
  const valves =
    'openapi: 3.1.0\ninfo:\n  title: Valve Book\n  version: 0.1.0\npaths:\n  /valves:\n    get:\n      operationId: listValves\n      responses:\n        "200": { description: Valves }\n'
  return Buffer.from(
    zipSync({
      'river/river.wsdl': strToU8(service),
      'river/samples.xsd': lab('samples.xsd'),
      'river/results.xsd': lab('results.xsd'),
      'river/common.xsd': lab('common.xsd'),
      'valves.yaml': strToU8(valves),
      'again.yaml': demo('meter-readings/4.0.0.yaml'),
      'broken.yaml': strToU8('openapi: 3.1.0\ninfo:\n  title: Half [\n version: 1\n'),
      'notes.md': strToU8('nothing to read'),
    }),
  )
}

async function bringArchive(page: Page) {
  await page.goto('/bring-in')
  await page
    .getByLabel('or choose files')
    .setInputFiles({ name: 'estate.zip', mimeType: 'application/zip', buffer: archive() })
  await expect(page).toHaveURL(/\/batches\//)
}
const row = (page: Page, name: string | RegExp) => page.getByRole('row', { name })

test('many definitions at once: told apart, reported, entered together', async ({ page }) => {
  await signIn(page, 'lena', '/bring-in')
  await bringArchive(page)
  await expect(page.getByText('Read.')).toBeVisible({ timeout: 30_000 })
  await expect(row(page, /river\.wsdl.*River Sampling.*new/)).toBeVisible()
  await expect(row(page, /valves\.yaml.*Valve Book.*new/)).toBeVisible()
  await expect(row(page, /again\.yaml.*unchanged/)).toBeVisible()
  await expect(row(page, /broken\.yaml:\d+:\d+.*not taken/)).toBeVisible()
  await expect(page.getByText('notes.md')).toHaveCount(0)
  await expectAccessible(page)
  await page.getByRole('button', { name: '1 not taken' }).click()
  await expect(page).toHaveURL(/outcome=refused/)
  await expect(row(page, /valves\.yaml/)).toHaveCount(0)
  await page.getByRole('button', { name: '1 not taken' }).click()

  await row(page, /valves\.yaml/)
    .getByRole('button', { name: 'Exclude' })
    .click()
  await page.getByLabel('Audience').selectOption('private')
  await page.getByRole('button', { name: 'Bring in 1 definition' }).click()
  await expect(page.getByText('Brought in.')).toBeVisible({ timeout: 30_000 })
  await row(page, /river\.wsdl/)
    .getByRole('link')
    .click()
  await expect(page.getByRole('heading', { name: 'River Sampling' })).toBeVisible()
  await page.getByRole('link', { name: 'Source' }).click()
  await expect(page.getByText('4 files')).toBeVisible()
  await page.goto('/find?q=valve%20book')
  await expect(page.getByText(/0 APIs say something/)).toBeVisible()
})

test('a batch that is stopped leaves nothing behind', async ({ page }) => {
  await signIn(page, 'lena', '/bring-in')
  await bringArchive(page)
  await page.getByRole('button', { name: 'Stop' }).click()
  await expect(page.getByText(/Stopped; nothing of it stayed half done|Read\./)).toBeVisible()
  await page.goto('/find?q=valve%20book')
  await expect(page.getByText(/0 APIs say something/)).toBeVisible()
})

test('a WSDL from an address comes with everything it imports', async ({ page }) => {
  await signIn(page, 'lena', '/bring-in')
  await page
    .getByLabel('From addresses')
    .fill(`${process.env['ELM_STANDINS']}/definitions/lab/lab-sampling.wsdl`)
  await page.getByRole('button', { name: 'Fetch it' }).click()
  await expect(page.getByText('9 operations, 21 schemas')).toBeVisible({ timeout: 30_000 })
  await expect(page.getByText('lab-sampling.wsdl, samples.xsd')).toBeVisible()
})

test('finds by words, corrects mistyped ones, and opens where it matched', async ({ page }) => {
  await signIn(page, 'wren')
  await page.goto('/ledger')
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  await page.keyboard.press('/')
  await page.keyboard.type('hydrent')
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/\/find\?q=hydrent/)
  await expect(page.getByText('read as hydrant')).toBeVisible()
  const hydrant = page.getByRole('listitem').filter({ hasText: 'Hydrant Register' })
  await expect(hydrant).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'WADL 2009' }).click()
  await expect(page).toHaveURL(/format=WADL/)
  await expect(page.getByRole('listitem')).toHaveCount(1)
  await hydrant.getByRole('link', { name: /operation.*POST \/hydrants/ }).click()
  await expect(page).toHaveURL(/hydrant-register\/source\?.*line=24/)
  await page.goto('/find?q=zyzzyva-quokka')
  await expect(page.getByText('Nothing says that.')).toBeVisible()
})

test('operations are read with their schemas opening level by level', async ({ page }) => {
  await signIn(page, 'wren', '/apis/lab-sampling/operations')
  await page.getByPlaceholder('Filter operations').fill('register')
  await page.getByRole('button', { name: 'SOAP Laboratory · registerSample' }).click()
  await expect(
    page.getByRole('heading', { name: 'SOAP Laboratory · registerSample' }),
  ).toBeVisible()
  await expect(page.getByText(/document, literal, action/).first()).toBeVisible()
  await expect(page.getByText('headers credential').first()).toBeVisible()
  await page.getByRole('button', { name: 'Open sample' }).click()
  await expect(page.getByText('takenAt')).toBeVisible()
  await page.getByRole('button', { name: 'Open point' }).click()
  await expect(page.getByText('A place where samples are taken.')).toBeVisible()
  await expectAccessible(page)
})

test('versions say what changed, and what it breaks', async ({ page }) => {
  await signIn(page, 'wren', '/apis/lab-sampling/versions')
  await expect(page.getByText('Request body: sample.parent is new')).toBeVisible()
  await expect(page.getByText('Version is "1.8.0", was "1.6.0"')).toBeVisible()
  await page.getByRole('button', { name: '0 breaking' }).click()
  await expect(page.getByText('Request body: sample.parent is new')).toHaveCount(0)
  await page.getByRole('button', { name: '0 breaking' }).click()
  await page.getByRole('button', { name: /^\d safe$/ }).click()
  await expect(page.getByText('Request body: sample.parent is new')).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('link', { name: 'Open the comparison' }).click()
  await expect(page.getByText('changes from 1.6.0 to 1.8.0')).toBeVisible()
  await expect(page.getByLabel('From', { exact: true })).toHaveValue('revision 1')
})

test('a comparison says what breaks, what shows it, and for whom', async ({ page }) => {
  await signIn(page, 'wren', '/apis/meter-readings/compare')
  await expect(page.getByText('The number that fits is 4.0.0.')).toBeVisible()
  await expect(page.getByText('GET /meters/{meterId}/estimates/next')).toBeVisible()
  await page.getByRole('button', { name: 'Query parameter from is now required' }).first().click()
  const margin = page.getByLabel('Margin')
  await expect(margin.getByRole('heading', { name: 'A request that 3.9.2 took' })).toBeVisible()
  await expect(margin.getByText('Alder Homes')).toBeVisible()
  await expect(margin.getByText('Give from a default instead of requiring it')).toBeVisible()
  await expectAccessible(page)
  // What is chosen stands in the address, and is there again.
  await page.reload()
  await expect(
    margin.getByRole('heading', { name: 'Query parameter from is now required' }),
  ).toBeVisible()

  const other = page.getByRole('button', { name: 'POST /batches', exact: true })
  await expect(other).toBeVisible()
  const operation = page.getByRole('button', {
    name: 'GET /meters/{meterId}/readings',
    exact: true,
  })
  await operation.click()
  await expect(other).toHaveCount(0)
  await operation.click()
  await expect(other).toBeVisible()

  await page.getByRole('button', { name: /\d+ risky/ }).click()
  await expect(page.getByText('Query parameter from is now required')).toHaveCount(0)
  await page.getByLabel('Find in changes').fill('nothing says this')
  await expect(page.getByText('No change fits these filters.')).toBeVisible()
  await page.getByRole('button', { name: 'Show all changes' }).click()
  await page.getByLabel('Client').selectOption('Tarn Institute')
  await expect(
    page.getByRole('button', { name: 'Query parameter from is now required' }).first(),
  ).toBeVisible()

  const saved = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Changelog' }).click()
  expect((await saved).suggestedFilename()).toBe('meter-readings-3.9.2-to-4.0.0.md')

  await page.getByLabel('To', { exact: true }).selectOption('version 3.9.2')
  await expect(page.getByText('Nothing that the contract says')).toBeVisible()
})

test('a file of another format is compared with what the register has', async ({ page }) => {
  await signIn(page, 'wren', '/apis/tanker-dispatch/compare?from=version+0.9.4')
  await page.getByRole('button', { name: 'Compare a file' }).click()
  await page.locator('input[type=file]').setInputFiles({
    name: 'broken.yaml',
    mimeType: 'application/yaml',
    buffer: Buffer.from('nothing: here'),
  })
  await expect(page.getByText('broken.yaml is not readable as a definition.')).toBeVisible()
  await page.getByRole('button', { name: 'Compare a file' }).click()
  await page.locator('input[type=file]').setInputFiles('demo/successors/tanker-dispatch-1.0.0.yaml')
  await expect(page.getByText('changes from 0.9.4 to 1.0.0')).toBeVisible()
  await page.getByRole('button', { name: 'Was GET /Jobs', exact: true }).click()
  await expect(page.getByLabel('Margin').getByText('Answer GET /Jobs too')).toBeVisible()
  await page.getByLabel('From', { exact: true }).selectOption('version 0.8.0')
  await expect(page.getByText('changes from 0.8.0 to 0.9.4')).toBeVisible()
})

test('an owner keeps the facts beside a definition', async ({ page }) => {
  await signIn(page, 'lena', '/apis/lab-sampling')
  await page.getByPlaceholder('add a tag').fill('nightly')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('link', { name: 'nightly' })).toBeVisible()
  await page.getByLabel('Title of the link').fill('Handbook')
  await page.getByLabel('Address of the link').fill('javascript:alert(1)')
  await page.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByText('A link begins with http:// or https://')).toBeVisible()
  await page.getByLabel('Address of the link').fill('https://wiki.brackenmere.example/lab')
  await page.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByRole('link', { name: 'Handbook' })).toBeVisible()
  await page.getByLabel('Lifecycle').selectOption('deprecated')
  await page.getByLabel('Served until').fill('2027-06-30')
  await page.getByRole('button', { name: 'Deprecate' }).click()
  await expect(page.getByText('deprecated').first()).toBeVisible()
  await page.reload()
  await expect(page.getByLabel('Served until')).toHaveValue('2027-06-30')
  await page.goto('/find?q=nightly')
  await page.goto('/find?tag=nightly')
  await expect(page.getByRole('listitem')).toHaveCount(1)
})

test('a revision is taken away as it was written, and in another format with what is lost', async ({
  page,
}) => {
  await signIn(page, 'wren', '/apis/supply-interruptions')
  await page.getByRole('button', { name: 'Download' }).click()
  const original = page.waitForEvent('download')
  await page.getByRole('button', { name: /Original files/ }).click()
  expect((await original).suggestedFilename()).toMatch(/supply-interruptions.*\.zip$/)
  await page.getByLabel('Format').selectOption('openapi-3.0')
  const converted = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Write and save' }).click()
  const text = readFileSync(await (await converted).path(), 'utf8')
  expect(text).toMatch(/^openapi: 3\.0\.3/)
  await expect(page.getByText(/OpenAPI 3\.0 has no webhooks/).first()).toBeVisible()
  await expectAccessible(page)
})

test('an operation is written into the source by a form that knows the trade', async ({ page }) => {
  await signIn(page, 'edwin', '/apis/customer-accounts/source')
  await expect(page.getByText('20 files')).toBeVisible()
  await page.getByRole('button', { name: 'Add an operation' }).click()
  await page.getByLabel('Path', { exact: true }).fill('/valves')
  await page.getByLabel('Method').selectOption('post')
  await expect(page.getByLabel('Identifier')).toHaveValue('createValve')
  await page.getByLabel('Body', { exact: true }).selectOption('example')
  await page.getByLabel('Example of the body').fill('{ "turns": ')
  await expect(page.getByText(/The example is not JSON/)).toBeVisible()
  await expect(page.getByRole('button', { name: 'Write it into the source' })).toBeDisabled()
  await page.getByLabel('Example of the body').fill('{ "turns": 4 }')
  await page.getByRole('button', { name: 'Write it into the source' }).click()
  await expect(page.getByText('createValve')).toBeVisible()
  await expect(page.getByText('Not saved; kept in this browser')).toBeVisible()
  await page.getByRole('button', { name: 'schemas/person.yaml' }).click()
  await expect(page.locator('.cm-content')).toContainText('givenName')
  await page.getByRole('button', { name: /^POST \/valves/ }).click()
  await expect(page.locator('.cm-content')).toContainText('createValve')
  await page.getByRole('button', { name: 'Discard' }).click()
  await expect(page.getByText('createValve')).toHaveCount(0)
})

test('a definition is begun from nothing', async ({ page }) => {
  await signIn(page, 'bryn', '/bring-in')
  await page.getByText('Or begin a new one').click()
  await page.getByLabel('Title').fill('Trench Book')
  await page.getByLabel('What it is for').fill('Trenches that are open, and until when.')
  await page.getByRole('button', { name: 'Write it' }).click()
  await expect(page.getByText('0 operations, 0 schemas')).toBeVisible({ timeout: 30_000 })
  await page.getByLabel('Audience').selectOption('private')
  await page.getByRole('button', { name: 'Enter into the register' }).click()
  await expect(page).toHaveURL(/trench-book\/source/)
  await page.getByRole('button', { name: 'Add an operation' }).click()
  await page.getByLabel('Path', { exact: true }).fill('/trenches/{trenchId}')
  await page.getByRole('button', { name: 'Write it into the source' }).click()
  await page.getByRole('button', { name: 'Save as revision 2' }).click()
  await expect(page.getByText('Saved as revision 2.')).toBeVisible()
})

const moorings = `openapi: 3.1.0
info: { title: Mooring Pages, version: 1.0.0, description: Pages of boats at their moorings. }
paths:
  /boats:
    get:
      operationId: listBoats
      responses:
        '200':
          description: Boats
          content: { application/json: { schema: { $ref: '#/components/schemas/Boats' } } }
components:
  schemas:
    Page:
      $id: https://schemas.brackenmere.example/page
      type: object
      properties: { entries: { type: array, items: { $dynamicRef: '#entry' } } }
      $defs: { Entry: { $dynamicAnchor: entry, not: {} } }
    Boats:
      $id: https://schemas.brackenmere.example/boats
      description: A page of boats.
      $ref: page
      $defs: { Entry: { $dynamicAnchor: entry, $ref: '#/components/schemas/Boat' } }
    Boat:
      type: object
      properties:
        berth: { $ref: '#/components/schemas/Berth', description: Where it lies tonight. }
    Berth: { type: object, description: A place for a boat. }
`

test('a schema that is another one with words of its own is read as both', async ({ page }) => {
  await signIn(page, 'lena', '/bring-in')
  await page
    .getByLabel('or choose files')
    .setInputFiles({ name: 'moorings.yaml', mimeType: 'text/yaml', buffer: Buffer.from(moorings) })
  await page.getByLabel('Audience').selectOption('private', { timeout: 30_000 })
  await page.getByRole('button', { name: 'Enter into the register' }).click()
  await expect(page).toHaveURL(/\/apis\/mooring-pages/)
  await page.goto('/apis/mooring-pages/operations')
  await page.getByText('/boats').first().click()
  const main = page.getByRole('main')
  await expect(main.getByText('A page of boats.')).toBeVisible()
  await expect(main.getByText('list of Boat')).toBeVisible()
  await main.getByRole('button', { name: 'Open entries' }).click()
  await expect(main.getByText('Where it lies tonight.')).toBeVisible()
  await main.getByRole('button', { name: 'Open berth' }).click()
  await expect(main.getByText('A place for a boat.')).toHaveCount(0)
  await expect(main.getByText('with', { exact: true })).toHaveCount(0)
})
