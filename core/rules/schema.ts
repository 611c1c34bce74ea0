import { formatNames } from '../contract/model'
import { audiences, levels, lifecycles, subjectKinds } from './model'

const text = (description: string, more: object = {}) => ({ type: 'string', description, ...more })
const day = (description: string) => text(description, { format: 'date' })
const list = (items: object, description: string, more: object = {}) => ({
  type: 'array',
  items,
  description,
  ...more,
})
const closed = (description: string, required: string[], properties: Record<string, object>) => ({
  type: 'object',
  description,
  required,
  properties,
  additionalProperties: false,
})

const cel = 'An expression of the Common Expression Language'

const binds = closed('From when and for whom it binds; until then it advises.', [], {
  from: day('The day it begins to bind.'),
  onlyNew: {
    enum: ['versions', 'apis'],
    description: 'Binds only versions, or APIs, that were begun on that day or later.',
  },
  teams: list({ type: 'string' }, 'Binds only these teams.'),
  audiences: list({ enum: audiences }, 'Binds only APIs for these audiences.'),
  lifecycles: list({ enum: lifecycles }, 'Binds only APIs in these parts of their life.'),
})

const fix = {
  description: 'A change that fixes a finding.',
  oneOf: [
    closed('Gives a part a value.', ['title', 'set', 'to'], {
      title: text('What it does, for the person who chooses it.'),
      set: text('The part of the subject: summary, contact.email, schema.maxLength.'),
      to: text(
        'The value; expressions in braces are filled in. A value that is JSON is written as such.',
      ),
    }),
    closed('Takes a part away.', ['title', 'remove'], {
      title: text('What it does.'),
      remove: text('The part of the subject.'),
    }),
    closed('Gives the subject another name, and follows references.', ['title', 'rename'], {
      title: text('What it does.'),
      rename: text('The new name; expressions in braces are filled in.'),
    }),
    closed('Writes a template into a part that is not there.', ['title', 'insert', 'template'], {
      title: text('What it does.'),
      insert: text('The part of the subject.'),
      template: text('What is written, as YAML; expressions in braces are filled in.'),
    }),
    closed('Moves the subject to a shared component, and refers to it.', ['title', 'extract'], {
      title: text('What it does.'),
      extract: text('The name of the component; expressions in braces are filled in.'),
    }),
  ],
}

const sample = {
  description:
    'A piece of a definition. A piece that does not say its format is completed as OpenAPI 3.1.',
  oneOf: [
    { type: 'string' },
    closed('A piece with facts of the register.', ['text'], {
      text: text('The piece.'),
      facts: closed('What the register would know.', [], {
        audience: { enum: audiences },
        lifecycle: { enum: lifecycles },
        team: { type: 'string' },
        api: { type: 'string' },
      }),
      before: text('The piece as it was in the version before, for rules about what changed.'),
      elsewhere: list({ type: 'string' }, 'Pieces of other APIs of the register.', {
        maxItems: 10,
      }),
    }),
  ],
}

const samples = closed(
  'What keeps the rule and what breaks it; run as its tests.',
  ['passes', 'breaks'],
  {
    passes: list(sample, 'Pieces that keep the rule.', { maxItems: 20 }),
    breaks: list(sample, 'Pieces that break it.', { maxItems: 20 }),
  },
)

/** One rule of a rulebook's text, as JSON Schema 2020-12. */
export const ruleSchema = closed(
  'One design rule.',
  ['id', 'group', 'level', 'title', 'about', 'expect', 'message', 'reason'],
  {
    id: text('Its identifier: lower case and hyphens.', {
      pattern: '^[a-z][a-z0-9-]*$',
      maxLength: 60,
    }),
    group: text('The group it stands in.'),
    level: { enum: levels, description: 'How strongly the organisation asks (RFC 2119).' },
    title: text('What it asks, in one line.', { maxLength: 120 }),
    about: { enum: subjectKinds, description: 'What it speaks about, one at a time.' },
    formats: list(
      { enum: formatNames },
      'The formats it speaks about; every one where this is left out.',
    ),
    where: text(`${cel} that selects; every subject where it is left out.`, { maxLength: 4000 }),
    expect: text(`${cel} that has to hold.`, { maxLength: 4000 }),
    message: text('What the author reads; expressions in braces are filled in.', {
      maxLength: 1000,
    }),
    reason: text('Why it is asked.', { maxLength: 2000 }),
    remedy: text('How to fix it.', { maxLength: 2000 }),
    link: text('An address to read more at.', { maxLength: 1000 }),
    part: text('The part of the subject to point at: summary, contact.email.', { maxLength: 200 }),
    binds,
    fixes: list(fix, 'Changes that fix it.', { maxItems: 6 }),
    samples,
    mayBeLoosened: {
      type: 'boolean',
      description: 'Whether a rulebook that extends this one may loosen it although it is a MUST.',
    },
  },
)

const change = closed('A change to a rule of the rulebook that is extended.', ['id'], {
  id: text('The rule.'),
  level: { enum: levels, description: 'Its level here.' },
  binds,
  off: { type: 'boolean', description: 'Whether it is left out.' },
})

/** The text of a rulebook, as JSON Schema 2020-12; published for editors. */
export const rulebookSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Rulebook of Elm Ledger',
  ...closed('The design rules of an organisation or a team.', ['rulebook', 'name'], {
    rulebook: { const: 1, description: 'The version of this format.' },
    name: text('What it is called.', { maxLength: 120 }),
    domain: text('The domain of the organisation, as in organisation.domain.', { maxLength: 253 }),
    extends: text('The rulebook it builds on: its name in addresses, or a file beside it.', {
      maxLength: 500,
    }),
    words: list({ type: 'string' }, 'Words of the organisation that a dictionary does not know.', {
      maxItems: 5000,
    }),
    groups: list(
      closed('A group of rules.', ['id', 'title'], {
        id: text('Its identifier.', { maxLength: 60 }),
        title: text('What it is called.', { maxLength: 80 }),
        says: text('What its rules are for.', { maxLength: 500 }),
      }),
      'The groups, in the order they are shown.',
      { maxItems: 60 },
    ),
    rules: list(ruleSchema, 'The rules.', { maxItems: 1000 }),
    changes: list(change, 'What it changes of the rulebook it extends.', { maxItems: 1000 }),
  }),
}
