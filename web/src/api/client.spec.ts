import { describe, expect, it } from 'vitest'
import { ok, Problem } from './client'

describe('ok', () => {
  it('unwraps what came', async () => {
    expect(await ok(Promise.resolve({ data: 7 }))).toBe(7)
  })
  it('tells a problem in its words, with its places', async () => {
    const failed = Promise.resolve({
      error: {
        title: 'Unprocessable',
        detail: 'validation failed',
        errors: [{ location: 'body.name', message: 'too short' }],
      },
    })
    await expect(ok(failed)).rejects.toThrow('validation failed; body.name too short')
    await expect(ok(Promise.resolve({ error: { title: 'Not Found' } }))).rejects.toThrow('Not Found')
  })
  it('says when nobody answers', async () => {
    const call = ok(Promise.reject(new TypeError('fetch failed')))
    await expect(call).rejects.toBeInstanceOf(Problem)
    await expect(call).rejects.toThrow('No connection')
  })
})
