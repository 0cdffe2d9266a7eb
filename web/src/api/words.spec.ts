import { describe, expect, it } from 'vitest'
import { clock, counted, duration, moment, percent, shortAddress } from './words'

describe('words', () => {
  it('says how long', () => {
    expect(duration(0.2)).toBe('under a second')
    expect(duration(42.4)).toBe('42 s')
    expect(duration(90)).toBe('2 min')
    expect(duration(5400)).toMatch(/1.5 h/)
  })
  it('counts one thing as one, and several as several', () => {
    expect(counted(1, 'page')).toBe('1 page')
    expect(counted(0, 'page')).toBe('0 pages')
    expect(counted(12, 'index', 'indexes')).toBe('12 indexes')
  })
  it('says a place in a video as players do', () => {
    expect(clock(65.9)).toBe('1:05')
    expect(clock(3725)).toBe('1:02:05')
  })
  it('says a share with one digit', () => {
    expect(percent(0.8364)).toMatch(/83.6 %/)
    expect(percent(1)).toMatch(/100.0 %/)
  })
  it('shortens addresses to their path and leaves the rest', () => {
    expect(shortAddress('http://example.org/a/b?x=1')).toBe('/a/b?x=1')
    expect(shortAddress('notes/guide.md')).toBe('notes/guide.md')
  })
  it('names the zone of a moment', () => {
    expect(moment('').text).toBe('')
    const m = moment('2026-03-01T12:00:00.000Z')
    expect(m.text).toContain('2026')
    expect(m.zone).not.toBe('')
  })
})
