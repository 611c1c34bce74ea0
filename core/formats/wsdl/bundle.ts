import type { Documents } from '../../text/documents'
import { resolveName } from '../../text/location'
import type { XmlElement } from '../../text/xml'
import { xsdNamespaces } from '../xsd/builtin'
import { wsdlNamespaces } from './index'

/** Text as it may stand in XML content or an attribute in double quotes. */
const escaped = (text: string) =>
  text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')

const qualified = (element: XmlElement) =>
  element.prefix === '' ? element.local : `${element.prefix}:${element.local}`

/** Prefixes that an element needs and the one it is put into does not give it. */
function missingScope(element: XmlElement, around: Readonly<Record<string, string>>): string {
  return Object.entries(element.scope)
    .filter(
      ([prefix, namespace]) =>
        prefix !== 'xml' && around[prefix] !== namespace && !(prefix === '' && namespace === ''),
    )
    .map(
      ([prefix, namespace]) =>
        ` ${prefix === '' ? 'xmlns' : `xmlns:${prefix}`}="${escaped(namespace)}"`,
    )
    .join('')
}

function written(
  element: XmlElement,
  indent: string,
  around: Readonly<Record<string, string>>,
  extra = '',
  skip: (child: XmlElement) => boolean = () => false,
): string {
  const attributes = element.attributes
    .filter(([name]) => name !== 'xmlns' && !name.startsWith('xmlns:'))
    .map(([name, value]) => ` ${name}="${escaped(value)}"`)
    .join('')
  const name = qualified(element)
  const head = `${indent}<${name}${missingScope(element, around)}${attributes}`
  const children = element.children
    .filter((child) => !skip(child))
    .map((child) => written(child, `${indent}  `, element.scope))
  const text = element.text.trim()
  if (children.length === 0 && extra === '')
    return text === '' ? `${head}/>\n` : `${head}>${escaped(text)}</${name}>\n`
  return `${head}>\n${text === '' ? '' : `${indent}  ${escaped(text)}\n`}${extra}${children.join('')}${indent}</${name}>\n`
}

/**
 * One WSDL document that holds what a definition's files hold: imported WSDL parts and every schema stand in it, and
 * imports name namespaces only.
 */
export function bundleWsdl(documents: Documents, root: XmlElement): string {
  const schemas: { element: XmlElement; namespace: string | undefined }[] = []
  const parts: XmlElement[] = []
  const seen = new Set<string>([documents.main.file])

  const open = (
    file: string,
    location: string | undefined,
  ): { name: string; root: XmlElement } | undefined => {
    if (location === undefined) return undefined
    const name = resolveName(file, location)
    const reading = documents.get(name)?.reading
    return reading?.readable && reading.syntax === 'xml' ? { name, root: reading.root } : undefined
  }
  const addSchema = (element: XmlElement, file: string, includedBy: string | undefined): void => {
    schemas.push({ element, namespace: element.attribute('targetNamespace') ?? includedBy })
    for (const child of element.children) {
      if (!['include', 'import', 'redefine'].includes(child.local)) continue
      const target = open(file, child.attribute('schemaLocation'))
      const own =
        child.local === 'import' ? undefined : (element.attribute('targetNamespace') ?? includedBy)
      // A chameleon include stands once in each namespace that includes it.
      const key = target && `${target.name}${own === undefined ? '' : ` ${own}`}`
      if (!target || key === undefined || seen.has(key)) continue
      seen.add(key)
      if (xsdNamespaces.has(target.root.namespace)) addSchema(target.root, target.name, own)
    }
  }
  const collect = (from: XmlElement, file: string): void => {
    for (const child of from.children) {
      if (child.local === 'types') {
        for (const schema of child.children) {
          if (!xsdNamespaces.has(schema.namespace)) continue
          if (schema.local === 'schema') addSchema(schema, file, undefined)
          else {
            const target = open(file, schema.attribute('schemaLocation'))
            if (target && !seen.has(target.name)) {
              seen.add(target.name)
              addSchema(target.root, target.name, undefined)
            }
          }
        }
      } else if (
        (child.local === 'import' || child.local === 'include') &&
        wsdlNamespaces.has(child.namespace)
      ) {
        const target = open(file, child.attribute('location'))
        if (!target || seen.has(target.name)) continue
        seen.add(target.name)
        if (xsdNamespaces.has(target.root.namespace)) addSchema(target.root, target.name, undefined)
        else collect(target.root, target.name)
      } else if (from !== root) parts.push(child)
    }
  }
  collect(root, documents.main.file)

  const prefix = root.prefix === '' ? '' : `${root.prefix}:`
  const texts = schemas.map(({ element, namespace }) => schemaText(element, namespace, root.scope))
  const types =
    texts.length === 0 ? '' : `  <${prefix}types>\n${texts.join('')}  </${prefix}types>\n`
  const brought = parts.map((part) => written(part, '  ', root.scope)).join('')
  const skip = (child: XmlElement) =>
    child.local === 'types' ||
    ((child.local === 'import' || child.local === 'include') && wsdlNamespaces.has(child.namespace))
  return `<?xml version="1.0" encoding="UTF-8"?>\n${written(root, '', {}, types + brought, skip)}`
}

/** A schema without the addresses of other files: includes are beside it now, imports need only their namespace. */
function schemaText(
  element: XmlElement,
  namespace: string | undefined,
  around: Readonly<Record<string, string>>,
): string {
  const prefix = element.prefix === '' ? '' : `${element.prefix}:`
  const imports = element.children
    .filter((child) => child.local === 'import')
    .map((child) => {
      const of = child.attribute('namespace')
      return `      <${prefix}import${of === undefined ? '' : ` namespace="${escaped(of)}"`}/>\n`
    })
    .join('')
  const own = element.attribute('targetNamespace')
  const text = written(
    element,
    '    ',
    around,
    imports,
    (child) => child.local === 'import' || child.local === 'include',
  )
  if (own !== undefined || namespace === undefined) return text
  // A chameleon include had its namespace from the file that included it.
  return text.replace(
    /^(\s*<[\w:.-]+)/,
    `$1 targetNamespace="${escaped(namespace)}" xmlns="${escaped(namespace)}"`,
  )
}
