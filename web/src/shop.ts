// Lindquill's own few lines: the cart drawer opens and closes, a quantity that is
// changed is sent, a form is sent once, the checkout is sent in place, and the
// price follows the variant.
import { focusChoices, keepFocus, restoreFocus } from './forms';

focusChoices();

// A select is sent a moment after the last change: who types a country's name is not cut short.
let sending = 0;
document.addEventListener('change', (e) => {
  const el = e.target as HTMLInputElement;
  if (!el.matches('[data-send]')) return;
  clearTimeout(sending);
  if (el.matches('select')) sending = window.setTimeout(() => el.form?.requestSubmit(), 350);
  else el.form?.requestSubmit();
});
document.addEventListener('change', (e) => {
  const el = e.target as HTMLInputElement;
  if (!el.matches('#add [name=sku]')) return;
  document.getElementById('price')!.textContent = el.dataset.price ?? '';
  for (const [id, text] of Object.entries({ was: el.dataset.was, badge: el.dataset.badge, prior: el.dataset.prior })) {
    const part = document.getElementById(id)!;
    (part.querySelector('[data-was]') ?? part).textContent = text ?? '';
    part.hidden = !text;
  }
  document.getElementById('prices')?.setAttribute('sku', el.value);
});

// What a nudge offers to put in is added as the shop's own button would.
const send = (action: string, fields: string[][]) => {
  const form = document.createElement('form');
  form.method = 'post';
  form.action = action;
  for (const [name, value] of [...fields, ['back', location.pathname]])
    form.append(Object.assign(document.createElement('input'), { type: 'hidden', name, value }));
  document.body.append(form);
  form.submit();
};
interface Piece {
  sku: string;
  quantity: number;
}
document.addEventListener('agonal:put', (e) => {
  const { sku, add } = (e as CustomEvent<{ sku: string; add: number }>).detail;
  if (cart()?.isOpen) return change('/cart/add', { sku, quantity: String(add) });
  send('/cart/add', [
    ['sku', sku],
    ['quantity', String(add)],
  ]);
});
document.addEventListener('agonal:put-set', (e) => {
  const { nudge, lines, plan } = (e as CustomEvent<{ nudge: string; lines: Piece[]; plan: string }>).detail;
  send('/cart/build', [
    ['nudge', nudge],
    ['plan', plan],
    ...lines.flatMap((l) => [
      ['sku', l.sku],
      ['quantity', String(l.quantity)],
    ]),
  ]);
});

// The cart is the embed's where it is at hand; what the shop's own server drew stands in
// for it where it is not.
interface AgonalCart extends HTMLElement {
  ready?: boolean;
  isOpen?: boolean;
  open(): void;
  added(): void;
  refuse(text: string): void;
}
const drawer = document.querySelector<HTMLDialogElement>('dialog#cart');
const cart = () => document.querySelector<AgonalCart>('agonal-cart');
document.addEventListener('click', (e) => {
  if (e.target === drawer) drawer?.close();
  if (!drawer || !(e.target as Element).closest('a[data-cart]')) return;
  e.preventDefault();
  if (cart()?.ready) cart()!.open();
  else drawer.showModal();
});
if (drawer?.dataset.open !== undefined) {
  // A reload shows the page, not the drawer again.
  const u = new URL(location.href);
  u.searchParams.delete('cart');
  history.replaceState(history.state, '', u);
  const late = window.setTimeout(() => drawer.showModal(), 900);
  const here = () => {
    clearTimeout(late);
    if (!drawer.open) cart()!.added();
  };
  if (cart()?.ready) here();
  else document.addEventListener('agonal:cart-ready', here, { once: true });
}

interface Embed {
  render(decision: unknown): void;
  update(request: unknown): void;
}

/** Sends a change of the cart, and shows what came of it without leaving the page. */
let changing = Promise.resolve();
const change = (action: string, fields: Record<string, string>) =>
  (changing = changing.then(async () => {
    try {
      const r = await fetch(action, { method: 'POST', body: new URLSearchParams({ ...fields, in: 'drawer', back: location.pathname }) });
      const page = show(await r.text(), location.pathname === '/cart');
      cart()?.refuse(page.querySelector('#cart .bad, #told')?.textContent ?? '');
    } catch {
      cart()?.refuse(document.body.dataset.silent ?? '');
    }
  }));
const asked = <T>(kind: string, act: (detail: T, from: Element) => void) =>
  document.addEventListener(`agonal:${kind}`, (e) => act((e as CustomEvent<T>).detail, e.target as Element));
interface OfSet {
  id: string;
}
asked<{ sku?: string; build?: OfSet; origin?: { nudge: string }; quantity: number | string }>('set', (d) =>
  change('/cart/set', { sku: d.sku ?? '', set: d.build?.id ?? '', gift: d.origin?.nudge ?? '', quantity: String(d.quantity) }),
);
asked<{ nudge: string; sku?: string; act: string }>('gift', (d) => change('/cart/gift', { nudge: d.nudge, sku: d.sku ?? '', do: d.act }));
interface Answer {
  nudge: string;
  sku: string;
  instead?: string;
  act: string;
}
interface Offered {
  offers?: { nudge: string; items: { sku: string; instead?: string; more?: number }[] }[];
}
/** What is offered after an order is sent with the difference that was shown, once. */
const addAfter = (form: HTMLFormElement, d: Answer) => {
  if (form.hasAttribute('data-sent')) return;
  const told = JSON.parse(document.getElementById('agonal-order')?.textContent ?? '{}') as Offered;
  const item = told.offers?.find((o) => o.nudge === d.nudge)?.items.find((it) => it.sku === d.sku && (it.instead ?? '') === (d.instead ?? ''));
  for (const [name, value] of Object.entries({ nudge: d.nudge, sku: d.sku, instead: d.instead ?? '', expect: String(item?.more ?? '') }))
    (form.elements.namedItem(name) as HTMLInputElement).value = value;
  sent(form, true);
  form.submit();
};
asked<Answer>('offer', async (d, from) => {
  const after = from.closest<HTMLFormElement>('form#after');
  if (after) return addAfter(after, d);
  await change('/cart/offer', { nudge: d.nudge, sku: d.sku, instead: d.instead ?? '', do: d.act });
  document.querySelector<HTMLFormElement>('#till')?.requestSubmit(); // the checkout works its total out again
});
asked<Answer & { items: string[] }>('together', (d) => send('/cart/together', [['nudge', d.nudge], ['sku', d.sku], ...d.items.map((sku) => ['item', sku])]));
asked<{ codes: string[] }>('code', async (d) => {
  await change('/cart/code', { code: d.codes.join(' ') });
  cart()?.open(); // what became of it stands there
});
asked<{ country: string; postcode: string }>('deliver', (d) => change('/deliver-to', d));
asked<{ items: { sku: string; quantity: number; build?: OfSet }[] }>('add', (d) => {
  for (const it of d.items) change('/cart/add', { sku: it.sku, set: it.build?.id ?? '', quantity: String(it.quantity) });
});

// A cart is shared at a place that stands in for the real ones; once it is posted, the page
// of the cart is told, wherever it is open.
const postedKey = 'lindquill-posted';
asked<{ nudge: string; token: string; text: string }>('share', (d) => void open(`/share-to?${new URLSearchParams({ ...d })}`, '_blank'));
const posted = document.querySelector<HTMLElement>('[data-posted]');
const takePosted = () => {
  const nudge = localStorage.getItem(postedKey);
  const embed = (window as unknown as { Agonal?: { shared(nudge: string): Promise<unknown> } }).Agonal;
  if (!nudge || !embed || posted) return;
  localStorage.removeItem(postedKey);
  void embed.shared(nudge);
};
if (posted) localStorage.setItem(postedKey, posted.dataset.posted!);
addEventListener('storage', (e) => e.key === postedKey && takePosted());
document.addEventListener('agonal:decision', takePosted, { once: true });

/** Puts in place what the shop answered: the content, the header, the cart, and what the embed knows. */
const show = (html: string, whole = true) => {
  const page = new DOMParser().parseFromString(html, 'text/html');
  const held = document.activeElement?.closest('#main agonal-nudge')?.getAttribute('place'); // what is drawn anew keeps the focus
  for (const part of ['.mast', '#cart', ...(whole ? ['#main'] : [])])
    document.querySelector(part)?.replaceChildren(...(page.querySelector(part)?.childNodes ?? []));
  const embed = (window as unknown as { Agonal?: Embed }).Agonal;
  const json = (id: string) => page.getElementById(id)?.textContent;
  const decision = json('agonal-decision');
  const request = json('agonal-request');
  if (decision) embed?.render(JSON.parse(decision));
  if (held) document.querySelector<HTMLElement>(`#main agonal-nudge[place=${held}]`)?.focus({ preventScroll: true });
  if (request) embed?.update(JSON.parse(request));
  return page;
};

// The checkout's answer replaces its content, so that back and reload never send
// an order again. What is typed or chosen while it is on its way is put back.
let again = false;
const sendInPlace = async (form: HTMLFormElement, by: HTMLElement | null) => {
  const body = new URLSearchParams(asSent(form, by));
  try {
    const r = await fetch(form.getAttribute('action')!, { method: 'POST', body });
    if (r.redirected) return location.assign(r.url);
    const html = await r.text();
    const since = asSent(form, by).filter(([name, value]) => body.get(name) !== value);
    show(html);
    for (const [name, value] of since) putBack(name, value);
    restoreFocus();
    document.querySelector('#main [role=alert]')?.scrollIntoView({ block: 'center' });
    if (again) document.querySelector<HTMLFormElement>('#till')?.requestSubmit();
    again = false;
  } catch {
    sent(form, false);
    const say = document.createElement('p');
    say.className = 'told wrong';
    say.setAttribute('role', 'alert');
    say.textContent = document.body.dataset.silentTill ?? '';
    if (form.previousElementSibling?.matches('.told')) form.previousElementSibling.remove();
    form.before(say);
  }
};
const asSent = (form: HTMLFormElement, by: HTMLElement | null) => [...new FormData(form, by)].map(([name, value]) => [name, String(value)]);
const putBack = (name: string, value: string) => {
  const field = document.querySelector<HTMLFormElement>('#till')?.elements.namedItem(name);
  if (field instanceof RadioNodeList || field instanceof HTMLInputElement || field instanceof HTMLSelectElement) field.value = value;
};
const sent = (form: HTMLFormElement, is: boolean) => {
  form.toggleAttribute('data-sent', is);
  for (const button of form.querySelectorAll('button')) {
    if (is) button.setAttribute('aria-disabled', 'true');
    else button.removeAttribute('aria-disabled');
  }
};
document.addEventListener('submit', (e) => {
  const form = e.target as HTMLFormElement;
  if (form.getAttribute('method') !== 'post') return; // a field of the checkout is called method
  const inPlace = form.matches('[data-in-place]');
  if (!inPlace && !e.submitter) return; // a later choice takes the place of an earlier one
  if (form.hasAttribute('data-sent')) {
    again ||= inPlace && !e.submitter; // a choice made meanwhile is sent afterwards; a second press is not
    return e.preventDefault();
  }
  sent(form, true);
  if (!inPlace) return;
  e.preventDefault();
  void sendInPlace(form, e.submitter);
});
addEventListener('pageshow', (e) => {
  if (e.persisted) location.reload(); // the cart may have changed since
});

// The address that was typed outlasts a way back and forth, in this tab alone.
const typed = 'lindquill-address';
document.addEventListener('input', () => {
  const form = document.querySelector<HTMLFormElement>('#till');
  if (form) sessionStorage.setItem(typed, JSON.stringify([...form.querySelectorAll<HTMLInputElement>('input.box')].map((f) => [f.name, f.value])));
});
if (document.getElementById('till')) {
  for (const [name, value] of JSON.parse(sessionStorage.getItem(typed) ?? '[]') as string[][]) putBack(name, value);
} else if (location.pathname.startsWith('/thanks/')) sessionStorage.removeItem(typed);

keepFocus();
restoreFocus();
