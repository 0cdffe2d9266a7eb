/**
 * The line that a site carries: <script async src=".../w.js" data-place="..."></script>. It puts a button in a corner of the page, or the
 * sheet itself into the element that data-into names, and asks for a pass, which only pages of allowed hosts are given. It works under a
 * content security policy that allows our origin alone in script-src, connect-src and frame-src: it writes no inline code and no style
 * element, and sets styles as properties.
 */
;(() => {
  const me = document.currentScript as HTMLScriptElement | null
  const place = me?.dataset.place ?? ''
  if (me === null || place === '') return
  const home = new URL(me.src).origin
  const mark = `jolvex-${place}`
  if (document.getElementById(mark) !== null) return // the line stands twice
  const said: Record<string, [string, string]> = {
    de: ['Fragen Sie uns', 'Schließen'],
    fr: ['Posez une question', 'Fermer'],
    es: ['Pregúntenos', 'Cerrar'],
  }
  const language = (document.documentElement.lang || navigator.language).slice(0, 2).toLowerCase()
  const [open, shut] = said[language] ?? ['Ask us', 'Close']
  const words = { open: me.dataset.open ?? open, close: me.dataset.close ?? shut }

  interface Pass {
    pass: string
    accent: string
    corner: string
    title: string
    button: string
    speech: string
  }

  const ask = async (): Promise<Pass> => {
    const r = await fetch(`${home}/v/pass?place=${encodeURIComponent(place)}`, { credentials: 'omit' })
    const body = (await r.json()) as Pass & { detail?: string }
    if (!r.ok) throw new Error(body.detail ?? 'no pass')
    return body
  }

  /** Sets styles that the page's own rules cannot undo. */
  const dress = (e: HTMLElement, styles: Record<string, string>): void => {
    e.style.setProperty('all', 'initial', 'important')
    for (const [k, v] of Object.entries(styles)) e.style.setProperty(k, v, 'important')
  }

  const frame = (first: Pass): HTMLIFrameElement => {
    const f = document.createElement('iframe')
    if (first.speech !== '') f.allow = 'microphone'
    f.title = first.title === '' ? words.open : first.title
    f.src = `${home}/at/${encodeURIComponent(place)}`
    let next: Pass | undefined = first
    // The frame says when it is there, and when its pass is too old: it gets one, with the page on which it is.
    window.addEventListener('message', (m: MessageEvent<unknown>) => {
      if (m.origin !== home || m.source !== f.contentWindow) return
      if (m.data === 'jolvex-close') close()
      if (m.data !== 'jolvex-pass') return
      const give = (p: Pass): void => {
        const said = {
          pass: p.pass,
          page: location.origin + location.pathname,
          language: document.documentElement.lang,
          campaign: me.dataset.campaign ?? new URLSearchParams(location.search).get('utm_campaign') ?? '',
          place: me.dataset.at ?? '',
          token: me.dataset.visitor ?? '', // the site's word on who asks; it may change while the page is open
        }
        f.contentWindow?.postMessage(said, home)
      }
      if (next !== undefined) give(next)
      else ask().then(give, warn)
      next = undefined
    })
    return f
  }

  const warn = (e: unknown): void => console.warn(`jolvex: ${(e as Error).message}`)

  /** What stands on the button: words, a sign before them, or the sign alone, which is read as the words. */
  const label = (b: HTMLButtonElement, kind: string, open: boolean): void => {
    const text = open ? words.close : words.open
    const sign = open ? '\u00d7' : '?'
    b.textContent = kind === 'sign' ? sign : kind === 'both' ? `${sign}\u2002${text}` : text
    b.setAttribute('aria-label', text)
  }

  let kind = 'words'
  let shown: HTMLIFrameElement | undefined
  let button: HTMLButtonElement | undefined
  const close = (): void => {
    if (shown === undefined || button === undefined) return
    shown.style.setProperty('display', 'none', 'important')
    button.setAttribute('aria-expanded', 'false')
    label(button, kind, false)
    button.focus()
  }

  const inCorner = (p: Pass): void => {
    const b = document.createElement('button')
    button = b
    b.id = mark
    b.type = 'button'
    kind = p.button
    label(b, kind, false)
    b.setAttribute('aria-expanded', 'false')
    const side = p.corner === 'left' ? 'left' : 'right'
    dress(b, {
      position: 'fixed',
      bottom: '16px',
      [side]: '16px',
      'z-index': '2147483646',
      padding: '10px 16px',
      background: p.accent,
      color: '#fff',
      font: '600 16px/1.3 system-ui, sans-serif',
      border: '1px solid #fff',
      'border-radius': '3px',
      cursor: 'pointer',
    })
    b.addEventListener('focus', () => b.style.setProperty('outline', `3px solid ${p.accent}`, 'important'))
    b.addEventListener('blur', () => b.style.setProperty('outline', 'none', 'important'))
    b.addEventListener('click', () => {
      if (shown !== undefined && b.getAttribute('aria-expanded') === 'true') return close()
      if (shown === undefined) {
        shown = frame(p)
        dress(shown, {
          position: 'fixed',
          bottom: '72px',
          [side]: '16px',
          'z-index': '2147483646',
          width: 'min(400px, calc(100vw - 32px))',
          height: 'min(620px, calc(100vh - 96px))',
          border: '1px solid #7c8d99',
          'border-radius': '3px',
          background: '#fff',
          'color-scheme': 'light',
        })
        b.after(shown)
      }
      shown.style.setProperty('display', 'block', 'important')
      b.setAttribute('aria-expanded', 'true')
      label(b, kind, true)
      shown.focus()
    })
    document.body.append(b)
    document.addEventListener('keydown', (e) => {
      if (e.key === 'Escape' && b.getAttribute('aria-expanded') === 'true') close()
    })
  }

  const inText = (p: Pass, into: Element): void => {
    const f = frame(p)
    f.id = mark
    dress(f, {
      display: 'block',
      width: '100%',
      height: me.dataset.height ?? '560px',
      border: '1px solid #7c8d99',
      'color-scheme': 'light',
    })
    into.append(f)
  }

  const begin = (): void => {
    ask().then((p) => {
      const into = me.dataset.into === undefined ? null : document.querySelector(me.dataset.into)
      if (into === null) inCorner(p)
      else inText(p, into)
    }, warn)
  }
  if (document.readyState === 'loading') document.addEventListener('DOMContentLoaded', begin)
  else begin()
})()
