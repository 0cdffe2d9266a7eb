import type { Reply } from './client'

/** The passes of rewriting as people call them. */
export const passNames: Record<string, string> = {
  asked: 'As asked',
  courtesy: 'Courtesy or question',
  commands: 'Orders to the assistant',
  language: 'Language',
  filler: 'Filler',
  spelling: 'Spelling',
  followUp: 'Follow-up',
  glossary: 'Glossary',
  compound: 'Compounds',
  related: 'Related terms',
  feedback: 'Feedback',
  model: 'Worded by a model',
  rewritten: 'As rewritten',
  passage: 'A passage that might answer it',
}

export const outcomeNames: Record<string, string> = {
  answered: 'Answered',
  refused: 'Refused',
  courtesy: 'Courtesy',
  rule: 'By a house rule',
  handedOver: 'Handed over',
  askedBack: 'Asks back',
}

export const outcomeOf = (r: Reply): string => outcomeNames[r.trail?.outcome ?? ''] ?? ''
