import type { Schema } from '@/api/client'
import { shortAddress } from '@/api/words'

type Page = Schema['Page']

/** A folder or a page of what a source has found. */
export interface Node {
  id: string
  label: string
  path: string
  count: number
  page?: Page
  children?: Node[]
}

/** Whether a page is ticked before anybody decided: it was chosen, or nobody has chosen yet and nothing speaks against it. */
export function startsTaken(p: Page): boolean {
  if (p.state === 'left out') return false
  if (p.choice !== 'open') return p.choice === 'in'
  return p.clutter.length === 0 && p.state !== 'failed'
}

/** Puts pages into folders by their addresses; a folder that holds one page alone is no folder of its own. */
export function treeOf(pages: Page[], search = ''): Node[] {
  const wanted = search.trim().toLowerCase()
  const roots: Node[] = []
  const folders = new Map<string, Node>()
  const folder = (host: string, parts: string[]): Node => {
    const id = `${host}/${parts.map((p) => `${p}/`).join('')}`
    const known = folders.get(id)
    if (known !== undefined) return known
    const last = parts[parts.length - 1]
    const n: Node = { id, label: last === undefined ? host : `${last}/`, path: id, count: 0, children: [] }
    folders.set(id, n)
    if (last === undefined) roots.push(n)
    else folder(host, parts.slice(0, -1)).children?.push(n)
    return n
  }
  for (const p of pages) {
    if (wanted !== '' && !p.address.toLowerCase().includes(wanted) && !p.title.toLowerCase().includes(wanted)) continue
    let host = ''
    let parts: string[]
    try {
      const u = new URL(p.address)
      host = u.host
      parts = u.pathname.split('/').slice(1, -1)
    } catch {
      parts = p.address.split('/').slice(0, -1)
    }
    const leaf = shortAddress(p.address)
    folder(host, parts).children?.push({
      id: p.id,
      label: p.title === '' ? leaf : p.title,
      path: leaf.slice(leaf.lastIndexOf('/', leaf.length - 2) + 1) || leaf,
      count: 1,
      page: p,
    })
  }
  const sum = (n: Node): number => {
    if (n.page === undefined) n.count = (n.children ?? []).reduce((s, c) => s + sum(c), 0)
    n.children = n.children?.map((c) => {
      const only = c.children?.length === 1 ? c.children[0] : undefined
      return only?.page !== undefined ? only : c
    })
    n.children?.sort(
      (a, b) => Number(a.page !== undefined) - Number(b.page !== undefined) || (a.path < b.path ? -1 : 1),
    )
    return n.count
  }
  roots.forEach(sum)
  return roots
}

/** The folders that are open at first: the roots, and below them each folder that is the only thing in its own. */
export function openAtFirst(nodes: Node[]): string[] {
  const out: string[] = []
  const visit = (n: Node): void => {
    out.push(n.id)
    const only = n.children?.length === 1 ? n.children[0] : undefined
    if (only?.children !== undefined) visit(only)
  }
  nodes.forEach(visit)
  return out
}
