/** A RAML type expression (RAML 1.0, "Type Expressions"): names, `[]`, `|`, `?` and parentheses. */
export type TypeExpression =
  | { kind: 'name'; name: string }
  | { kind: 'list' | 'optional'; of: TypeExpression }
  | { kind: 'union'; of: TypeExpression[] }

/** Parses a type expression; undefined where it is none. */
export function parseTypeExpression(text: string): TypeExpression | undefined {
  const tokens = text.match(/[()|?]|\[\s*\]|[^\s()|?[\]]+/g) ?? []
  if (tokens.join('').replace(/\s/g, '') !== text.replace(/\s/g, '')) return undefined
  let at = 0
  let depth = 0
  const union = (): TypeExpression | undefined => {
    const first = postfix()
    if (!first) return undefined
    const members = [first]
    while (tokens[at] === '|') {
      at++
      const next = postfix()
      if (!next) return undefined
      members.push(next)
    }
    return members.length === 1 ? first : { kind: 'union', of: members }
  }
  const postfix = (): TypeExpression | undefined => {
    let expression = primary()
    while (expression && at < tokens.length) {
      if (tokens[at]!.startsWith('[')) expression = { kind: 'list', of: expression }
      else if (tokens[at] === '?') expression = { kind: 'optional', of: expression }
      else break
      at++
    }
    return expression
  }
  const primary = (): TypeExpression | undefined => {
    const token = tokens[at++]
    if (token === undefined || /^[|?)[]/.test(token)) return undefined
    if (token !== '(') return { kind: 'name', name: token }
    if (++depth > 50) return undefined
    const inside = union()
    return tokens[at++] === ')' ? inside : undefined
  }
  const whole = union()
  return at === tokens.length ? whole : undefined
}
