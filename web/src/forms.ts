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
    if (!el || el === document.body) return;
    sessionStorage.setItem(key, JSON.stringify({ path: location.pathname, place: placeOf(el), at: Date.now() }));
  });
}

/** Where nothing has the focus (after a touch, say), a choice takes it: one goes on from there. */
export function focusChoices() {
  document.addEventListener('change', (e) => {
    const el = e.target as HTMLElement;
    if (document.activeElement === document.body && el.matches('select')) el.focus(); // a text field's change comes while the focus moves on
  });
}

/** A page that stays as it is needs no place kept. */
export const forgetFocus = () => sessionStorage.removeItem(key);

export function restoreFocus() {
  const text = sessionStorage.getItem(key);
  sessionStorage.removeItem(key);
  if (!text) return;
  const now = document.activeElement;
  if (now && now !== document.body && !(now.closest('dialog') && now.closest('form[method=dialog]'))) return;
  const kept = JSON.parse(text) as { path: string; place: string; at: number };
  if (Date.now() - kept.at > 20_000) return;
  const wrong = [...document.querySelectorAll<HTMLElement>('[data-focus-me], [aria-invalid=true]')].find((e) => e.checkVisibility());
  if (wrong) return wrong.focus();
  if (kept.path === location.pathname) {
    let place = kept.place;
    while (place) {
      const el = document.querySelector<HTMLElement>(place);
      const to = el?.matches('a, button, input, select, textarea, summary') ? el : el?.querySelector<HTMLElement>('button:not([disabled]), a[href], summary');
      if (to?.checkVisibility() && !to.matches(':disabled')) return to.focus();
      const cut = place.lastIndexOf(' > ');
      if (cut < 0) break;
      place = place.slice(0, cut);
      if (place === 'body') break;
    }
  }
  (document.querySelector<HTMLElement>('#flash, #told') ?? document.getElementById('main'))?.focus();
}
