import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schema } from '@/api/client'
import { outcomeNames } from '@/api/names'

export type Line = Schema['Line']
export type Snag = Schema['Snag']

/** A value of the view that stands in the address, so that it can be linked and the Back key works. */
export function useInAddress() {
  const route = useRoute()
  const router = useRouter()
  return (key: string, none = '') =>
    computed({
      get: () => String(route.query[key] ?? none),
      set: (s: string) => void router.replace({ query: { ...route.query, [key]: s === none ? undefined : s } }),
    })
}

/** How an exchange ended, in a word, and the colour that goes with it. */
export function endOf(l: { outcome: string; mark?: string; waiting?: boolean }): { text: string; tone: string } {
  if (l.waiting === true) return { text: 'waits', tone: 'muted' }
  const text = (outcomeNames[l.outcome] ?? 'not known').toLowerCase()
  return { text, tone: l.outcome === 'refused' ? 'caution' : l.outcome === '' ? 'muted' : '' }
}

export const markWords = { right: '✓ right', wrong: '✗ wrong', doubtful: '? doubtful', '': '' } as const

export const snagKinds: Record<Snag['kind'], string> = {
  unanswered: 'no answer',
  thumb: 'thumb down',
  wrong: 'wrong reply',
  verdict: 'failed check',
  conflict: 'sources disagree',
}

export const snagStates: Record<Snag['state'], string> = {
  open: 'open',
  waiting: 'waits for its source',
  settled: 'settled',
  dismissed: 'dismissed',
}

export const howWords: Record<string, string> = {
  answer: 'by a settled answer',
  source: 'at the source',
  set: 'as an expected question',
  change: 'by a change of the draft',
}

export const noticeKinds: Record<Schema['Subscription']['kinds'][number], string> = {
  unanswered: 'questions without an answer',
  alerts: 'alerts and hand-overs',
  handovers: 'conversations waiting for a person',
  ended: 'conversations that ended',
  snags: 'snags that are assigned',
  visits: 'visits that failed',
  releases: 'releases',
  digest: 'digest of the day',
}
export const noticePaces = { once: 'at once', hour: 'gathered by the hour', day: 'gathered by the day' } as const
export const sentWords = { waiting: 'waits', sent: 'sent', failed: 'failed' } as const
export const hourWord = (n: number): string => `${String(n).padStart(2, '0')}:00`
