import { ref } from 'vue'

/** Those who act on single keys in the view that is open; the one that came last is asked first. */
const listeners = new Set<(key: string) => boolean>()

/** Single-key shortcuts can be switched off (WCAG 2.1.4); the choice is kept in the browser. */
const stored = 'jolvex.single-keys'
export const singleKeys = ref(localStorage.getItem(stored) !== 'off')

export function setSingleKeys(on: boolean): void {
  singleKeys.value = on
  localStorage.setItem(stored, on ? 'on' : 'off')
}

/** Acts on single keys while a view is open; returns what ends that. The listener says whether the key was for it. */
export function onKeys(f: (key: string) => boolean): () => void {
  listeners.add(f)
  return () => listeners.delete(f)
}

/** Hands a key to whoever wants it. */
export function offerKey(key: string): boolean {
  return [...listeners].reverse().some((f) => f(key))
}
