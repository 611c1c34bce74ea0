import { plainMarkdown } from '../report/markdown'
import type { Binding, Edition, Rule } from './model'

export type PageFormat = 'markdown' | 'html'

type Book = Omit<Edition, 'number'> & { number?: number }

/** A rulebook as a page for people: what is asked, why, and what it looks like. */
export const rulebookPage = (book: Book, format: PageFormat): string =>
  format === 'markdown' ? markdown(book) : html(book)

const groupsOf = ({ groups, rules }: Book) =>
  groups
    .map((group) => ({ ...group, rules: rules.filter((rule) => rule.group === group.id) }))
    .filter((group) => group.rules.length > 0)

/** From when and for whom a rule binds, in a sentence; empty where it always does. */
export function bindingWords(binds: Binding | undefined): string {
  if (!binds) return ''
  const { from, onlyNew, teams, audiences, lifecycles } = binds
  const whom = [
    onlyNew === 'versions' ? 'versions begun since' : onlyNew === 'apis' ? 'APIs begun since' : '',
    teams ? `the teams ${teams.join(', ')}` : '',
    audiences ? `${audiences.join(' and ')} APIs` : '',
    lifecycles ? `APIs that are ${lifecycles.join(' or ')}` : '',
  ].filter((part) => part !== '')
  return `Binds${from ? ` from ${from}` : ''}${whom.length > 0 ? ` for ${whom.join(', ')}` : ''}; until then it advises.`
}

function markdown(book: Book): string {
  const lines = [`# ${plainMarkdown(book.name)}`, '']
  if (book.number) lines.push(`Edition ${book.number}.`, '')
  lines.push('MUST, SHOULD and MAY are used as in RFC 2119.', '')
  for (const { title, says, rules } of groupsOf(book)) {
    lines.push(`## ${plainMarkdown(title)}`, '')
    if (says) lines.push(plainMarkdown(says), '')
    for (const rule of rules) {
      lines.push(
        `### ${rule.level}: ${plainMarkdown(rule.title)}`,
        '',
        `\`${rule.id}\``,
        '',
        plainMarkdown(rule.reason),
        '',
      )
      for (const more of [rule.remedy, bindingWords(rule.binds)])
        if (more) lines.push(plainMarkdown(more), '')
      if (rule.link) lines.push(`<${rule.link.replace(/[<>\s]/g, '')}>`, '')
      for (const [word, samples] of [
        ['Keeps it', rule.samples.passes],
        ['Breaks it', rule.samples.breaks],
      ] as const) {
        if (samples[0])
          lines.push(
            `${word}:`,
            '',
            ...samples[0].text
              .trimEnd()
              .split('\n')
              .map((line) => `    ${line}`),
            '',
          )
      }
    }
  }
  return `${lines.join('\n').trimEnd()}\n`
}

const escapes: Record<string, string> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
}
const escaped = (text: string) => text.replace(/[&<>"']/g, (character) => escapes[character]!)

/** The product's own fonts, where the page is served by it; elsewhere what the reader's system has. */
const fonts = (
  [
    ['Literata', 'literata/literata-latin-wght-normal'],
    ['Public Sans', 'public-sans/public-sans-latin-wght-normal'],
    ['JetBrains Mono', 'jetbrains-mono/jetbrains-mono-latin-wght-normal'],
  ] as const
)
  .map(
    ([family, file]) =>
      `@font-face{font-family:'${family}';src:url(/fonts/${file}.woff2) format('woff2');font-weight:100 900;font-display:swap}`,
  )
  .join('')

const style = `${fonts}:root{color-scheme:light dark;--page:#fff;--ink:#1f2a26;--soft:#5b665f;--rule:#dcd6c6;--paper:#fbfaf5;--must:#a9481e;--should:#8a6400;--may:#3d5a73}
@media(prefers-color-scheme:dark){:root{--page:#1d2320;--ink:#e6e9e4;--soft:#a3ada6;--rule:#3a423d;--paper:#232a26;--must:#e39a74;--should:#d8b25a;--may:#9dbad4}}
body{margin:0;background:var(--paper);color:var(--ink);font:15px/1.55 'Public Sans',system-ui,sans-serif}main{max-width:46rem;margin:0 auto;padding:2.5rem 1.5rem;background:var(--page);min-height:100vh;box-sizing:border-box}
h1,h2{font-family:'Literata',Georgia,serif;font-weight:600;line-height:1.2}h2{margin-top:2.5rem;border-bottom:1px solid var(--rule);padding-bottom:.3rem}h3{margin:1.6rem 0 .2rem;font-size:1rem}
.level{font:600 .75rem 'JetBrains Mono',monospace;margin-right:.5rem}.MUST{color:var(--must)}.SHOULD{color:var(--should)}.MAY{color:var(--may)}code,pre{font:.8rem/1.5 'JetBrains Mono',ui-monospace,monospace;font-variant-ligatures:none}pre{background:var(--paper);border:1px solid var(--rule);border-radius:5px;padding:.6rem .8rem;overflow:auto}
.soft{color:var(--soft)}p{margin:.3rem 0}a{color:inherit}nav a{margin-right:1rem}`

function html(book: Book): string {
  const groups = groupsOf(book)
  const body = groups.map(
    ({ id, title, says, rules }) =>
      `<section><h2 id="${escaped(id)}">${escaped(title)}</h2>${says ? `<p class="soft">${escaped(says)}</p>` : ''}${rules.map(ruleHtml).join('')}</section>`,
  )
  const nav = groups.map(
    ({ id, title, rules }) => `<a href="#${escaped(id)}">${escaped(title)} (${rules.length})</a>`,
  )
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>${escaped(book.name)}</title><style>${style}</style></head>
<body><main><h1>${escaped(book.name)}</h1><p class="soft">${book.number ? `Edition ${book.number}. ` : ''}MUST, SHOULD and MAY are used as in RFC 2119.</p><nav>${nav.join(' ')}</nav>${body.join('')}</main></body></html>
`
}

function ruleHtml({ id, level, title, reason, remedy, link, binds, samples }: Rule): string {
  const sample = (word: string, text: string | undefined) =>
    text ? `<p class="soft">${word}</p><pre>${escaped(text.trimEnd())}</pre>` : ''
  const safe =
    link && /^https?:/i.test(link)
      ? `<p><a href="${escaped(link)}" rel="noopener">${escaped(link)}</a></p>`
      : ''
  return `<article><h3 id="${escaped(id)}"><span class="level ${level}">${level}</span>${escaped(title)}</h3><p class="soft"><code>${escaped(id)}</code></p><p>${escaped(reason)}</p>${remedy ? `<p>${escaped(remedy)}</p>` : ''}${binds ? `<p>${escaped(bindingWords(binds))}</p>` : ''}${safe}${sample('Keeps it', samples.passes[0]?.text)}${sample('Breaks it', samples.breaks[0]?.text)}</article>`
}
