/** The description of the REST API (OpenAPI 3.1), as far as it is shown. */

export interface Schema {
  $ref?: string
  type?: string | string[]
  format?: string
  description?: string
  enum?: string[]
  items?: Schema
  properties?: Record<string, Schema>
  additionalProperties?: Schema | boolean
  required?: string[]
  minimum?: number
  maximum?: number
  minLength?: number
  maxLength?: number
  minItems?: number
  maxItems?: number
  default?: unknown
}
interface Content {
  content?: Record<string, { schema?: Schema }>
  description?: string
}
export interface Operation {
  operationId: string
  summary: string
  description?: string
  tags: string[]
  parameters?: { name: string; in: string; required?: boolean; description?: string; schema: Schema }[]
  requestBody?: Content & { required?: boolean }
  responses: Record<string, Content>
}
export interface Description {
  paths: Record<string, Record<string, Operation>>
  components: { schemas: Record<string, Schema> }
}

/** An operation with where it is reached. */
export interface Entry {
  method: string
  path: string
  op: Operation
}

/** All operations, by path. */
export function entries(d: Description): Entry[] {
  return Object.entries(d.paths).flatMap(([path, by]) =>
    Object.entries(by).map(([method, op]) => ({ method: method.toUpperCase(), path, op })),
  )
}

/** Those in which every word of a search stands. */
export function matching(all: Entry[], search: string): Entry[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  return all.filter((e) => {
    const text = `${e.method} ${e.path} ${e.op.operationId} ${e.op.summary}`.toLowerCase()
    return words.every((w) => text.includes(w))
  })
}

const nameOf = (s: Schema): string => (s.$ref ?? '').split('/').pop() ?? ''

/** A schema itself, where another names it. */
export function resolved(d: Description, s: Schema): Schema {
  return s.$ref === undefined ? s : (d.components.schemas[nameOf(s)] ?? {})
}

/** What a value is, in a few words. */
export function kind(d: Description, s: Schema): string {
  if (s.$ref !== undefined) return nameOf(s)
  const type = Array.isArray(s.type) ? s.type.filter((t) => t !== 'null').join(' or ') : (s.type ?? 'any value')
  if (type === 'array') return `list of ${kind(d, s.items ?? {})}`
  if (typeof s.additionalProperties === 'object') return `${kind(d, s.additionalProperties)} by name`
  return s.enum !== undefined ? s.enum.map((e) => (e === '' ? '""' : e)).join(', ') : type
}

/** The limits of a value, in words; empty for none. */
export function limits(s: Schema): string {
  const out: string[] = []
  const range = (from: number | undefined, to: number | undefined, of: string) => {
    if (from !== undefined && to !== undefined) out.push(`${from} to ${to}${of}`)
    else if (to !== undefined) out.push(`at most ${to}${of}`)
    else if (from !== undefined) out.push(`at least ${from}${of}`)
  }
  range(s.minimum, s.maximum, '')
  range(s.minLength, s.maxLength, ' characters')
  range(s.minItems, s.maxItems, ' items')
  return out.join(', ')
}

export interface Row {
  name: string
  kind: string
  needed: boolean
  says: string
  depth: number
}

/** The fields of a schema, those within them below them, as deep as two. */
export function rows(d: Description, s: Schema, depth = 0): Row[] {
  const own = resolved(d, s)
  if (own.type === 'array' && own.items !== undefined) return rows(d, own.items, depth)
  return Object.entries(own.properties ?? {}).flatMap(([name, x]) => {
    const row = {
      name,
      kind: kind(d, x),
      needed: own.required?.includes(name) ?? false,
      says: [x.description ?? '', limits(x)].filter(Boolean).join(' · '),
      depth,
    }
    return depth < 2 ? [row, ...rows(d, x, depth + 1)] : [row]
  })
}

/** An example of a value that fits a schema. */
export function example(d: Description, s: Schema, depth = 0): unknown {
  const own = resolved(d, s)
  const type = Array.isArray(own.type) ? own.type[0] : own.type
  if (own.enum !== undefined) return own.enum[0]
  switch (type) {
    case 'object':
      return Object.fromEntries(
        Object.entries(own.properties ?? {})
          .filter(([name]) => own.required?.includes(name) ?? false)
          .map(([name, x]) => [name, depth < 4 ? example(d, x, depth + 1) : null]),
      )
    case 'array':
      return own.items !== undefined && (own.minItems ?? 0) > 0 ? [example(d, own.items, depth + 1)] : []
    case 'integer':
    case 'number':
      return own.minimum ?? 0
    case 'boolean':
      return false
    default:
      return 'text'
  }
}

export const schemaOf = (c: Content | undefined): Schema | undefined =>
  c?.content?.['application/json']?.schema ?? Object.values(c?.content ?? {})[0]?.schema

/** A call of an operation, for the command line. */
export function call(d: Description, e: Entry, home: string): string {
  const needed = (e.op.parameters ?? []).filter((p) => p.in === 'query' && p.required)
  const query = needed.map((p) => `${p.name}=${p.name.toUpperCase()}`).join('&')
  const path = e.path.replace(/\{(\w+)\}/g, (_, name: string) => name.toUpperCase())
  const lines = [
    `curl${e.method === 'GET' ? '' : ` -X ${e.method}`} '${home}${path}${query === '' ? '' : `?${query}`}'`,
  ]
  const body = schemaOf(e.op.requestBody)
  if (body !== undefined && e.op.requestBody?.content?.['application/json'] !== undefined)
    lines.push(`  -H 'Content-Type: application/json'`, `  -d '${JSON.stringify(example(d, body))}'`)
  return lines.join(' \\\n')
}
