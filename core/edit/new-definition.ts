import yaml from 'js-yaml'
import type { Node } from '../text/values'

/** A definition to begin with. */
export interface NewDefinition {
  title: string
  version: string
  description: string
  contactName: string
  contactEmail: string
  server: string
}

/** The text of a new OpenAPI 3.1 definition, without operations yet. */
export function newDefinition({
  title,
  version,
  description,
  contactName,
  contactEmail,
  server,
}: NewDefinition): string {
  const info: Node = { title, version }
  if (description !== '') info['description'] = description
  const contact: Node = {}
  if (contactName !== '') contact['name'] = contactName
  if (contactEmail !== '') contact['email'] = contactEmail
  if (Object.keys(contact).length > 0) info['contact'] = contact
  const document: Node = { openapi: '3.1.0', info }
  if (server !== '') document['servers'] = [{ url: server }]
  document['paths'] = {}
  return yaml.dump(document, { lineWidth: 120, quotingType: "'" })
}
