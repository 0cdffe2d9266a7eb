import type { Signal } from './client'

/** What the signals of a rank are called, in the order in which they are shown. */
export const signalNames: Record<Signal['name'], string> = {
  title: 'title',
  headings: 'headings',
  body: 'body',
  meaning: 'meaning',
  sentence: 'nearest sentence',
  coverage: 'words covered',
  proximity: 'words together',
  named: 'heading says it',
  figure: 'kind of answer',
  fresh: 'freshness',
  source: 'source priority',
  settled: 'settled answer',
}
