import { ref, watch } from 'vue'

export type Theme = 'system' | 'light' | 'dark'

const stored = 'jolvex.theme'
const isTheme = (s: string | null): s is Theme => s === 'light' || s === 'dark' || s === 'system'
const kept = localStorage.getItem(stored)

/** Light, dark, or as the system has it; kept in the browser. */
export const theme = ref<Theme>(isTheme(kept) ? kept : 'system')

/** Puts the theme in force and follows the system's when that was chosen. */
export function useTheme(): void {
  const system = window.matchMedia('(prefers-color-scheme: dark)')
  const put = (): void => {
    const dark = theme.value === 'dark' || (theme.value === 'system' && system.matches)
    document.documentElement.dataset.theme = dark ? 'dark' : 'light'
  }
  system.addEventListener('change', put)
  watch(
    theme,
    (t) => {
      localStorage.setItem(stored, t)
      put()
    },
    { immediate: true },
  )
}
