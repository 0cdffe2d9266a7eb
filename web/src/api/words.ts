const whole = new Intl.NumberFormat()
const oneDigit = new Intl.NumberFormat(undefined, { maximumFractionDigits: 1, minimumFractionDigits: 1 })

export const count = (n: number): string => whole.format(n)

/** A number with what it counts: 1 page, 2 pages. */
export const counted = (n: number, one: string, many = `${one}s`): string => `${count(n)} ${n === 1 ? one : many}`

const languages = new Intl.DisplayNames(undefined, { type: 'language' })

/** The name of a language by its code; "unknown" for none. */
export const languageName = (code: string | undefined): string =>
  code === undefined || code === '' ? 'unknown' : (languages.of(code) ?? code)

export const percent = (x: number): string => `${oneDigit.format(100 * x)} %`

export function duration(seconds: number): string {
  if (seconds < 1) return 'under a second'
  if (seconds < 90) return `${Math.round(seconds)} s`
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`
  return `${oneDigit.format(seconds / 3600)} h`
}

/** A place in a video or sound, as players show it. */
export function clock(seconds: number): string {
  const s = Math.floor(seconds)
  const two = (n: number): string => String(n).padStart(2, '0')
  const hours = s >= 3600 ? `${Math.floor(s / 3600)}:` : ''
  const minutes = Math.floor((s % 3600) / 60)
  return `${hours}${hours === '' ? minutes : two(minutes)}:${two(s % 60)}`
}

/** A moment in the viewer's zone; the zone itself is in moment(at).zone for a tooltip. */
export function moment(at: string): { text: string; zone: string } {
  if (at === '') return { text: '', zone: '' }
  const d = new Date(at)
  return {
    text: d.toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' }),
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  }
}

/** The path of an address, or the whole of what is not an address. */
export function shortAddress(address: string): string {
  try {
    const u = new URL(address)
    return u.pathname + u.search
  } catch {
    return address
  }
}
