// Plain forms: sent once, asked about where they destroy, and the focus is where
// it was when the page comes back.
const key = 'agonal-focus';

export function onceOnly() {
  document.addEventListener('submit', (e) => {
    const form = e.target as HTMLFormElement;
    if (form.method !== 'post' || e.defaultPrevented) return;
    if (form.dataset.sent) return e.preventDefault();
    const question = form.dataset.confirm;
    if (question && !confirm(question)) return e.preventDefault();
    if (form.hasAttribute('hx-post')) return; // htmx keeps its own requests apart
    form.dataset.sent = '1';
    form.setAttribute('aria-busy', 'true');
  });
  addEventListener('pageshow', (e) => {
    document.querySelectorAll<HTMLFormElement>('form[data-sent]').forEach((f) => {
      delete f.dataset.sent;
      f.removeAttribute('aria-busy');
    });
    if (e.persisted) location.reload(); // what the page shows may have changed
  });
}

/** The place of an element: the nearest id above it, and the way down from there. */
const placeOf = (el: Element): string => {
  if (el.id) return `#${CSS.escape(el.id)}`;
  const way: string[] = [];
  let at: Element | null = el;
  while (at && !at.id && at !== document.body) {
    way.unshift(`${at.tagName.toLowerCase()}:nth-of-type(${[...at.parentElement!.children].filter((c) => c.tagName === at!.tagName).indexOf(at) + 1})`);
    at = at.parentElement;
  }
  return `${at?.id ? `#${CSS.escape(at.id)}` : 'body'} > ${way.join(' > ')}`;
};

export function keepFocus() {
  document.addEventListener('submit', (e) => {
    const el = (e as SubmitEvent).submitter ?? document.activeElement;
    if (!el || (e.target as HTMLElement).hasAttribute('hx-post')) return;
    sessionStorage.setItem(key, JSON.stringify({ path: location.pathname, place: placeOf(el), at: Date.now() }));
  });
}

export function restoreFocus() {
  const text = sessionStorage.getItem(key);
  sessionStorage.removeItem(key);
  if (!text || (document.activeElement && document.activeElement !== document.body)) return;
  const kept = JSON.parse(text) as { path: string; place: string; at: number };
  if (Date.now() - kept.at > 20_000) return;
  const me = document.querySelector<HTMLElement>('[data-focus-me]');
  if (me) return me.focus();
  if (kept.path === location.pathname) {
    let place = kept.place;
    while (place) {
      const el = document.querySelector<HTMLElement>(place);
      const to = el?.matches('a, button, input, select, textarea, summary') ? el : el?.querySelector<HTMLElement>('button:not([disabled]), a[href], summary');
      if (to && to.offsetParent !== null && !to.matches(':disabled')) return to.focus();
      const cut = place.lastIndexOf(' > ');
      if (cut < 0) break;
      place = place.slice(0, cut);
      if (place === 'body') break;
    }
  }
  (document.getElementById('flash') ?? document.getElementById('main'))?.focus();
}
