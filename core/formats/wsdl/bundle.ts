import { escapeXml } from '../../contract/xml-values'
import type { Documents } from '../../text/documents'
import { resolveName } from '../../text/location'
import type { XmlElement } from '../../text/xml'
import { xsdNamespaces } from '../xsd/builtin'
import { wsdlNamespaces } from './index'

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
        ` ${prefix === '' ? 'xmlns' : `xmlns:${prefix}`}="${escapeXml(namespace)}"`,
    )
    .join('')
}

function written(
  element: XmlElement,
  indent: string,
  around: Readonly<Record<string, string>>,
  extra = '',
  skip: (child: XmlElement) => boolean = () => false,
  address?: string,
): string {
  const attributes = element.attributes
    .filter(([name]) => name !== 'xmlns' && !name.startsWith('xmlns:'))
    .map(([name, value]) => {
      const told = address !== undefined && saysWhere(element, name) ? address : value
      return ` ${name}="${escapeXml(told)}"`
    })
    .join('')
  const name = qualified(element)
  const head = `${indent}<${name}${missingScope(element, around)}${attributes}`
  const children = element.children
    .filter((child) => !skip(child))
    .map((child) => written(child, `${indent}  `, element.scope, '', undefined, address))
  const text = element.text.trim()
  if (children.length === 0 && extra === '')
    return text === '' ? `${head}/>\n` : `${head}>${escapeXml(text)}</${name}>\n`
  return `${head}>\n${text === '' ? '' : `${indent}  ${escapeXml(text)}\n`}${extra}${children.join('')}${indent}</${name}>\n`
}

/** Whether an attribute says where a service is (WSDL 1.1, section 3.8; WSDL 2.0, part 1, section 2.15). */
const saysWhere = ({ local, namespace }: XmlElement, attribute: string) =>
  (local === 'address' && attribute === 'location') ||
  (local === 'endpoint' && attribute === 'address' && wsdlNamespaces.has(namespace))

/**
 * One WSDL document that holds what a definition's files hold: imported WSDL parts and every schema stand in it, and
 * imports name namespaces only. With an address, that is where every service is.
 */
export function bundleWsdl(documents: Documents, root: XmlElement, address?: string): string {
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
  const brought = parts
    .map((part) => written(part, '  ', root.scope, '', undefined, address))
    .join('')
  const skip = (child: XmlElement) =>
    child.local === 'types' ||
    ((child.local === 'import' || child.local === 'include') && wsdlNamespaces.has(child.namespace))
  return `<?xml version="1.0" encoding="UTF-8"?>\n${written(root, '', {}, types + brought, skip, address)}`
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
      return `      <${prefix}import${of === undefined ? '' : ` namespace="${escapeXml(of)}"`}/>\n`
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
    `$1 targetNamespace="${escapeXml(namespace)}" xmlns="${escapeXml(namespace)}"`,
  )
}
