import raw from '../../../docs/openapi.json?raw'
import { describe, expect, it } from 'vitest'
import { call, entries, example, kind, limits, matching, rows, type Description } from './description'

const d = JSON.parse(raw) as Description
const all = entries(d)

describe('the reference of the API', () => {
  it('shows every operation of the description with a summary, and finds them by their words', () => {
    expect(all.length).toBeGreaterThan(150)
    expect(all.filter((e) => e.op.summary === '' || e.op.tags.length === 0)).toEqual([])
    expect(matching(all, 'make key').map((e) => e.op.operationId)).toContain('addKey')
    expect(matching(all, 'POST corpora keys').map((e) => e.op.operationId)).toEqual(['addKey'])
    expect(matching(all, 'xyzzy')).toEqual([])
  })

  it('tells fields with their kinds, limits and what lies within them', () => {
    const key = { $ref: '#/components/schemas/NewKey' }
    expect(rows(d, key)).toEqual(
      expect.arrayContaining([
        { name: 'perMinute', kind: 'integer', needed: true, says: '1 to 100000', depth: 0 },
        { name: 'scopes', kind: 'list of ask, find', needed: true, says: '1 to 2 items', depth: 0 },
      ]),
    )
    expect(rows(d, { type: 'array', items: key })).toEqual(rows(d, key))
    expect(kind(d, { type: ['string', 'null'] })).toBe('string')
    expect(kind(d, { type: 'object', additionalProperties: { type: 'number' } })).toBe('number by name')
    expect(limits({ maxLength: 5 })).toBe('at most 5 characters')
    expect(limits({ minimum: 1 })).toBe('at least 1')
    expect(
      Math.max(
        ...all
          .flatMap((e) => rows(d, e.op.requestBody?.content?.['application/json']?.schema ?? {}))
          .map((r) => r.depth),
      ),
    ).toBeLessThanOrEqual(2)
  })

  it('gives a call of each operation, whose body holds all that is needed', () => {
    for (const e of all) expect(call(d, e, 'http://x')).not.toMatch(/[{]\w+[}]'/)
    expect(example(d, { $ref: '#/components/schemas/NewKey' })).toEqual({ name: 'text', perMinute: 1, scopes: ['ask'] })
    const add = all.find((e) => e.op.operationId === 'addKey')
    expect(add && call(d, add, 'http://x')).toContain(`curl -X POST 'http://x/api/corpora/CORPUS/keys'`)
  })
})
