// Plain forms: sent in place and once, guarded while they hold what is not saved,
// and the focus is where it was when the page comes back.
const key = 'agonal-focus';

interface Htmx {
  process(el: Element): void;
}
const htmx = () => (window as unknown as { htmx: Htmx }).htmx;

/**
 * Plain forms are sent by htmx where scripts run: a refusal replaces the content
 * in place, so that back, forward and reload never meet a page that was posted.
 */
export function adoptForms(root: ParentNode = document) {
  for (const form of root.querySelectorAll<HTMLFormElement>('form[method=post]:not([hx-post])')) {
    form.setAttribute('hx-post', form.getAttribute('action') ?? '');
    form.setAttribute('hx-target', '#main');
    form.setAttribute('hx-select', '#main');
    form.setAttribute('hx-swap', 'outerHTML');
    form.setAttribute('hx-sync', 'this:drop');
    if (form.enctype === 'multipart/form-data') form.setAttribute('hx-encoding', form.enctype);
    if (form.dataset.confirm) form.setAttribute('hx-confirm', form.dataset.confirm);
    htmx().process(form);
  }
}

/** A form is sent once, also while the page it leads to is on its way. */
export function onceOnly() {
  document.addEventListener('htmx:beforeRequest', (e) => {
    const form = (e.target as Element).closest('form');
    if (form?.dataset.leaving !== undefined) e.preventDefault();
  });
  document.addEventListener('htmx:beforeOnLoad', (e) => {
    const xhr = (e as CustomEvent).detail.xhr as XMLHttpRequest;
    if (xhr.getResponseHeader('HX-Redirect')) (e.target as Element).closest('form')?.setAttribute('data-leaving', '');
  });
  addEventListener('pageshow', (e) => {
    document.querySelectorAll<HTMLFormElement>('form[data-leaving]').forEach((f) => f.removeAttribute('data-leaving'));
    if (e.persisted) location.reload(); // what the page shows may have changed
  });
}

/** Who leaves a shop's page with something typed and not saved is asked first. */
export function guardTyped() {
  const formOf = (e: Event) => (e.target as Element).closest<HTMLFormElement>('main.page form[method=post]');
  const mark = (e: Event) => formOf(e)?.setAttribute('data-unsaved', '');
  const clear = (e: Event) => formOf(e)?.removeAttribute('data-unsaved');
  document.addEventListener('input', mark);
  document.addEventListener('change', mark);
  document.addEventListener('reset', clear);
  document.addEventListener('htmx:beforeOnLoad', (e) => {
    if ((e as CustomEvent).detail.xhr.status < 400) clear(e);
  });
  document.addEventListener('htmx:afterSettle', (e) => {
    if ((e as CustomEvent).detail.xhr.status < 400) return;
    const swapped = e.target as Element;
    (swapped.querySelector('[aria-invalid=true]') ?? swapped).closest('form')?.setAttribute('data-unsaved', '');
  });
  addEventListener('beforeunload', (e) => {
    if (document.querySelector('form[data-unsaved]')) e.preventDefault();
  });
}

/** What is typed while a form is on its way is put into the one that comes in its place. */
export function keepTyped() {
  const texts = (form: HTMLFormElement) =>
    [...form.querySelectorAll<HTMLInputElement>('input:not([type=hidden], [type=checkbox], [type=radio], [type=file]), textarea')].map((f) => [
      f.name,
      f.value,
    ]);
  let sent: string[][] = [];
  let since: string[][] = [];
  let action: string | null = null;
  const formOf = (e: Event) => ((e as CustomEvent).detail.elt as Element).closest('form');
  document.addEventListener('htmx:beforeRequest', (e) => (sent = formOf(e) ? texts(formOf(e)!) : []));
  document.addEventListener('htmx:beforeSwap', (e) => {
    const form = formOf(e);
    action = form?.getAttribute('action') ?? null;
    since = form ? texts(form).filter(([name, text], i) => sent[i]?.[0] === name && sent[i][1] !== text) : [];
  });
  document.addEventListener('htmx:afterSettle', () => {
    const form = since.length && [...document.querySelectorAll('form')].find((f) => f.getAttribute('action') === action && f.checkVisibility());
    for (const [name, text] of form ? since : []) {
      const field = (form as HTMLFormElement).elements.namedItem(name);
      if (field instanceof HTMLInputElement || field instanceof HTMLTextAreaElement) field.value = text;
    }
    since = [];
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
