import { describe, expect, it } from 'vitest'
import { openAtFirst, startsTaken, treeOf, type Node } from './tree'

const page = (address: string, more: object = {}) => ({
  id: address,
  address,
  title: '',
  state: 'found',
  reason: '',
  words: 100,
  choice: 'open' as const,
  clutter: [] as string[],
  caught: '' as const,
  ...more,
})

const drawn = (ns: Node[], depth = 0): string[] =>
  ns.flatMap((n) => [`${' '.repeat(depth)}${n.label} ${n.count}`, ...drawn(n.children ?? [], depth + 1)])

describe('treeOf', () => {
  const pages = [
    page('https://a.example/'),
    page('https://a.example/travel/dogs', { title: 'Dogs' }),
    page('https://a.example/travel/bicycles'),
    page('https://a.example/news/2026/ramp'),
    page('https://b.example/x?y=1'),
  ]

  it('puts pages into folders with counts; a folder of one page is no folder', () => {
    expect(drawn(treeOf(pages))).toEqual([
      'a.example 4',
      ' travel/ 2',
      '  /travel/bicycles 1',
      '  Dogs 1',
      ' / 1',
      ' /news/2026/ramp 1',
      'b.example 1',
      ' /x?y=1 1',
    ])
  })

  it('shows what matches a search alone', () => {
    expect(drawn(treeOf(pages, 'DOGS'))).toEqual(['a.example 1', ' Dogs 1'])
  })

  it('holds ten thousand pages', () => {
    const many = Array.from({ length: 10_000 }, (_, i) => page(`https://a.example/f${i % 100}/p${i}`))
    expect(treeOf(many)[0]?.count).toBe(10_000)
  })
})

describe('startsTaken', () => {
  it('leaves out clutter and what failed until somebody decides', () => {
    expect(startsTaken(page('https://a.example/'))).toBe(true)
    expect(startsTaken(page('https://a.example/', { clutter: ['basket'] }))).toBe(false)
    expect(startsTaken(page('https://a.example/', { state: 'failed' }))).toBe(false)
    expect(startsTaken(page('https://a.example/', { choice: 'in', clutter: ['tags'] }))).toBe(true)
    expect(startsTaken(page('https://a.example/', { choice: 'out' }))).toBe(false)
  })
})

describe('openAtFirst', () => {
  it('opens a folder that is the only thing in its own', () => {
    const deep = treeOf([page('https://a.example/docs/en/a'), page('https://a.example/docs/en/b')])
    expect(openAtFirst(deep)).toEqual(['a.example/', 'a.example/docs/', 'a.example/docs/en/'])
    const wide = treeOf(['/x/1', '/x/2', '/y/1', '/y/2'].map((p) => page(`https://a.example${p}`)))
    expect(openAtFirst(wide)).toEqual(['a.example/'])
  })
})
