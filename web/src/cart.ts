// The cart drawer of the embed, for shops that have none: <agonal-cart>. It draws the
// cart that a decision tells, and says by events what a shopper wants changed; the shop
// changes its cart and calls Agonal.update. Loaded only where a page has the element.
//
//   side="left"             opens at the left; else at the right
//   launcher="off|filled"   no button of its own, or one only while something is in it
//   after="stay|checkout"   what happens after adding; else the drawer opens
//   code="off"              no field for codes;  code-hint="…" what stands beside it
//   countries="DE AT"       an estimate of shipping by country, with postcode="on" by postcode too
//   checkout="/checkout"    where the checkout is
// What stands inside the element is shown above the sums.
import { el, press } from './dom';
import type { Cart, Group, Words } from './drawn';

interface Told {
  cart?: Cart;
}

const css = `
  :host { --ground: var(--agonal-drawer, #fff); --ink: var(--agonal-drawer-text, var(--agonal-paper-text, #1b2a4a)); --line: color-mix(in srgb, var(--ink) 20%, transparent); font: inherit }
  button, select, input { font: inherit; color: inherit }
  .open { position: fixed; z-index: 41; inset-inline-end: 16px; bottom: 16px; display: flex; gap: 10px; align-items: center; min-height: 52px; padding: 0 18px; border: 0; border-radius: 3px; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); box-shadow: 0 2px 10px #0004; cursor: pointer }
  :host([side=left]) .open { inset-inline: 16px auto } .open[hidden] { display: none }
  .count { min-width: 1.6em; padding: 2px 4px; border-radius: 1em; background: var(--agonal-fill, #f0c35a); color: var(--agonal-accent-text, #23180a); text-align: center; font-weight: 700 }
  dialog { box-sizing: border-box; width: min(430px, 100vw); max-width: none; height: 100dvh; max-height: none; margin: 0; margin-inline-start: auto; padding: 0; border: 0; background: var(--ground); color: var(--ink); font-size: calc(var(--agonal-size, 14px) * 1.07); line-height: 1.4; overscroll-behavior: contain }
  :host([side=left]) dialog { margin-inline: 0 auto } dialog::backdrop { background: #1b2a4a73 }
  .head { display: flex; justify-content: space-between; align-items: baseline; padding: 18px 24px 10px } h2 { margin: 0; font: inherit; font-size: 24px } h3 { margin: 0 0 6px; font: inherit; font-size: 14px; opacity: .8 }
  .plain { background: none; border: 0; padding: 6px 0; min-height: 44px; text-decoration: underline; text-underline-offset: 3px; cursor: pointer }
  .body { padding: 0 24px 24px; display: grid; gap: 12px } .body > * { margin: 0 }
  ul { list-style: none; padding: 0 } ul.lines > li { border-bottom: 1px solid var(--line); padding: 10px 0 }
  .line { display: grid; grid-template-columns: 56px 1fr auto; gap: 4px 14px; align-items: start } .line img { width: 56px; height: 56px; background: var(--agonal-card, #e8edf1) }
  .group > .line { grid-template-columns: 1fr auto } .group ul { padding-inline-start: 14px } .group ul .line { padding-top: 8px }
  a { color: inherit } .acts { display: flex; gap: 12px; align-items: center } .sum { text-align: end; font-variant-numeric: tabular-nums } s { opacity: .75; margin-inline-end: .4em; font-size: .9em }
  .qty { width: 3.4em; min-height: 44px; box-sizing: border-box; padding: 4px 8px; border: 1px solid var(--ink); background: none; border-radius: 0 }
  .quiet { opacity: .85; font-size: 14px } .gift { color: var(--agonal-hint, #7d4f05); font-style: italic }
  .cards { display: grid; grid-template-columns: repeat(auto-fit, minmax(160px, 1fr)); gap: 10px } .card { display: grid; grid-template-columns: 40px 1fr; gap: 0 10px; align-items: center; border: 1px solid var(--line); padding: 8px 10px; font-size: 14px } .card img { width: 40px; height: 40px }
  form { display: flex; gap: 10px; align-items: end; flex-wrap: wrap } label { display: grid; gap: 2px; font-size: 14px } input.text, select { min-height: 44px; box-sizing: border-box; padding: 4px 10px; border: 1px solid var(--ink); background: var(--ground); border-radius: 0; max-width: 11em }
  .button { min-height: 44px; padding: 0 16px; border: 1px solid var(--ink); background: none; cursor: pointer }
  dl { display: grid; grid-template-columns: 1fr auto; gap: 2px 0; margin: 0 } dd { margin: 0; padding-inline-start: 16px; text-align: end; font-variant-numeric: tabular-nums } .total { border-top: 1px solid var(--ink); padding-top: 8px; font-size: 19px; font-weight: 700 }
  .go { display: block; text-align: center; padding: 13px; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none; font-weight: 600 }
  .left p { margin: 0 0 4px; padding: 8px 10px; background: var(--agonal-open-ground, #fdf6e3) } .left:empty { display: none }
  .say { color: var(--agonal-loss, #a33b2c) } .say:empty { display: none } .sr { position: absolute; clip-path: inset(50%); width: 1px; height: 1px; overflow: hidden }
  :focus-visible { outline: 2px solid var(--agonal-hint, #7d4f05); outline-offset: 2px }`;

const button = (cls: string, text: string, label: string, act: () => void) => {
  const b = press(text, cls, act, label);
  b.dataset.key = label || text;
  return b;
};
const picture = (src?: string) => Object.assign(document.createElement('img'), { src: src ?? 'data:,', alt: '' });

class CartElement extends HTMLElement {
  private root = this.attachShadow({ mode: 'open' });
  private dialog = el('dialog', '');
  private opener = button('open', '', 'cart', () => this.open());
  private body = el('div', 'body');
  private say = el('p', 'say');
  private cart?: Cart;
  private typed?: string; // a code that is being typed
  private left: string[] = []; // why gifts have left, until the cart is closed
  private told = (e: Event) => {
    const d = (e as CustomEvent<Told>).detail;
    if (d.cart) this.draw(d.cart);
  };

  connectedCallback() {
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(css);
    this.root.adoptedStyleSheets = [sheet];
    this.say.setAttribute('role', 'alert');
    this.opener.hidden = true;
    this.root.append(this.opener, this.dialog);
    this.dialog.addEventListener('close', () => {
      this.left = [];
      this.dispatchEvent(new CustomEvent('agonal:cart-closed', { bubbles: true }));
    });
    this.dialog.addEventListener('click', (e) => e.target === this.dialog && this.dialog.close());
    document.addEventListener('agonal:decision', this.told);
    // The decision may have come before this script did.
    const known = (window as unknown as { Agonal?: { decision(): Told | null } }).Agonal?.decision()?.cart;
    if (known) this.draw(known);
    this.dispatchEvent(new CustomEvent('agonal:cart-here', { bubbles: true }));
  }
  disconnectedCallback() {
    document.removeEventListener('agonal:decision', this.told);
  }
  /** Whether it knows the cart, so that it can be opened. */
  get ready() {
    return !!this.cart;
  }
  get isOpen() {
    return this.dialog.open;
  }
  open() {
    if (this.dialog.open) return;
    this.dialog.showModal();
    this.dispatchEvent(new CustomEvent('agonal:cart-opened', { bubbles: true }));
  }
  close() {
    this.dialog.close();
  }
  /** What happens after something was added. */
  async added() {
    // What was put in may be asked about first.
    await (window as unknown as { Agonal?: { settled?: Promise<void> } }).Agonal?.settled;
    if ([...document.querySelectorAll('agonal-nudge[place=dialog]')].some((e) => e.shadowRoot?.querySelector('dialog[open]')))
      await new Promise((closed) => document.addEventListener('agonal:dialog-closed', closed, { once: true }));
    const then = this.getAttribute('after') ?? 'open';
    if (then === 'open') this.open();
    else if (then === 'checkout') location.assign(this.getAttribute('checkout') ?? '/checkout');
  }
  /** Says what is wrong with a change that was asked for. */
  refuse(text: string) {
    this.say.textContent = text;
  }
  private want(kind: string, detail: object) {
    this.say.textContent = '';
    this.dispatchEvent(new CustomEvent(`agonal:${kind}`, { bubbles: true, composed: true, detail }));
  }

  private draw(c: Cart) {
    const first = !this.cart;
    this.cart = c;
    const w = c.words;
    const focus = (this.root.activeElement as HTMLElement | null)?.dataset.key;
    this.lang = c.language;
    this.dir = c.rtl ? 'rtl' : '';
    this.dialog.setAttribute('aria-label', w.cart);
    const shown = this.getAttribute('launcher');
    this.opener.hidden = shown === 'off' || (shown === 'filled' && !c.pieces);
    this.opener.setAttribute('aria-label', `${w.cart}: ${c.pieces}, ${c.goods}`);
    this.opener.replaceChildren(w.cart, el('span', 'count', String(c.pieces)), el('span', '', c.goods));
    if (first) {
      const head = el(
        'div',
        'head',
        el('h2', '', w.cart),
        button('plain', w.close, '', () => this.close()),
      );
      const nudge = document.createElement('agonal-nudge');
      nudge.setAttribute('place', 'cart_drawer');
      this.dialog.append(head, nudge, this.body);
    }
    if (c.told) this.left = c.told;
    const told = el('div', 'left', ...this.left.map((text) => el('p', '', text)));
    told.setAttribute('role', 'status');
    const parts: Node[] = [this.say, told, this.lines(c)];
    for (const ch of c.choices ?? []) parts.push(this.choice(ch, w));
    if (c.also?.length) parts.push(this.also(c));
    if (c.pieces) {
      if (this.getAttribute('code') !== 'off') parts.push(this.code(c));
      if (this.hasAttribute('countries')) parts.push(this.estimate(w));
      parts.push(el('slot', ''), this.sums(c));
      const go = el('a', 'go', w.checkout);
      go.href = this.getAttribute('checkout') ?? '/checkout';
      parts.push(go);
    }
    this.body.replaceChildren(...parts);
    if (focus) this.root.querySelector<HTMLElement>(`[data-key="${CSS.escape(focus)}"]`)?.focus({ preventScroll: true });
    if (first) this.dispatchEvent(new CustomEvent('agonal:cart-ready', { bubbles: true }));
  }

  private lines(c: Cart) {
    const w = c.words;
    if (!c.groups.length && !c.gifts?.length) return el('p', 'quiet', w.empty);
    const list = el('ul', 'lines');
    for (const g of c.groups) {
      if (!g.build) {
        list.append(el('li', '', this.line(g.lines[0], g, w)));
        continue;
      }
      const head = el('div', '', el('strong', '', g.heading ?? ''), el('div', 'quiet', [g.text, g.plan].filter(Boolean).join(' ')));
      const when = new Intl.DateTimeFormat(c.language, { day: 'numeric', month: 'short', timeZone: 'UTC' });
      if (g.next) head.append(el('div', 'quiet', g.next.map((d) => when.format(new Date(d))).join(' · ')));
      const remove = button('plain', w.remove_set, `${w.remove_set}: ${g.heading ?? ''}`, () => this.want('set', { build: g.build, quantity: 0 }));
      head.append(el('div', 'acts', remove));
      list.append(el('li', 'group', el('div', 'line', head, this.sum(g, w)), el('ul', '', ...g.lines.map((l) => el('li', '', this.line(l, g, w))))));
    }
    for (const g of c.gifts ?? []) {
      const remove = button('plain', w.remove, `${w.remove}: ${g.label}`, () => this.want('gift', { nudge: g.nudge, sku: g.sku, act: 'remove' }));
      const sum = el('div', 'sum', el('s', '', el('span', 'sr', `${w.was} `), g.was));
      list.append(el('li', '', el('div', 'line', picture(g.picture), el('div', '', g.label, el('div', 'acts', el('span', 'gift', w.gift), remove)), sum)));
    }
    return list;
  }
  private line(l: Group['lines'][0], g: Group, w: Words) {
    const about = { sku: l.sku, id: l.id, plan: l.plan, origin: l.origin, build: g.build };
    const qty = Object.assign(el('input', 'qty'), { inputMode: 'numeric', maxLength: 7, value: String(l.quantity) });
    qty.setAttribute('aria-label', `${w.quantity}: ${l.label}`);
    qty.dataset.key = `qty-${l.sku}-${g.build?.id ?? ''}`;
    qty.addEventListener('change', () => this.want('set', { ...about, quantity: qty.value }));
    const remove = button('plain', w.remove, `${w.remove}: ${l.label}`, () => this.want('set', { ...about, quantity: 0 }));
    const name = el('div', '', l.label, el('div', 'acts', qty, remove));
    if (!g.build) {
      const hint = document.createElement('agonal-line');
      hint.setAttribute('sku', l.sku);
      name.append(hint);
    }
    return el('div', 'line', picture(l.picture), name, this.sum(l, w));
  }
  private sum(of: { was?: string; paid?: string }, w: Words) {
    const sum = el('div', 'sum');
    if (of.was) sum.append(el('s', '', el('span', 'sr', `${w.was} `), of.was));
    sum.append(of.paid ?? '');
    return sum;
  }
  private choice(ch: NonNullable<Cart['choices']>[0], w: Words) {
    const box = el('section', '', el('h3', '', ch.title));
    if (ch.state === 'removed') box.append(button('plain', w.put_back, '', () => this.want('gift', { nudge: ch.nudge, act: 'back' })));
    for (const it of ch.items ?? []) {
      const take = it.on
        ? el('span', 'gift', w.yours)
        : button('plain', w.take, `${w.take}: ${it.label}`, () => this.want('gift', { nudge: ch.nudge, sku: it.sku, act: 'pick' }));
      box.append(el('div', 'line', picture(it.picture), el('div', '', it.label, ...(it.price ? [` · ${it.price}`] : [])), take));
    }
    return box;
  }
  private also(c: Cart) {
    const w = c.words;
    const cards = el('div', 'cards');
    for (const o of c.also!) {
      const add = button('plain', w.add, `${w.add}: ${o.label}`, () => this.want('add', { items: o.items }));
      cards.append(el('div', 'card', picture(o.picture), el('div', '', o.label, el('div', 'quiet', o.text), add)));
    }
    return el('section', '', el('h3', '', c.also_text ?? ''), cards);
  }
  private code(c: Cart) {
    const w = c.words;
    const field = Object.assign(el('input', 'text'), {
      name: 'code',
      maxLength: 200,
      autocomplete: 'off',
      value: this.typed ?? (c.codes ?? []).map((x) => x.code).join(' '),
    });
    field.dataset.key = 'code';
    field.addEventListener('input', () => (this.typed = field.value));
    const apply = el('button', 'button', w.apply);
    apply.dataset.key = 'apply';
    const form = el('form', '', el('label', '', w.code, field), apply);
    form.addEventListener('submit', (e) => {
      e.preventDefault();
      this.typed = undefined;
      this.want('code', { codes: field.value.split(/\s+/).filter(Boolean) });
    });
    const hint = this.getAttribute('code-hint');
    if (hint) form.append(el('span', 'quiet', hint));
    const told = el('div', '', ...(c.codes ?? []).map((x) => el('div', x.state === 'unknown' ? 'say' : 'quiet', x.text)));
    told.setAttribute('role', 'status');
    return el('section', '', form, told);
  }
  private estimate(w: Words) {
    const countries = this.getAttribute('countries')!
      .split(/\s+/)
      .filter((c) => /^[A-Z]{2}$/.test(c));
    const names = new Intl.DisplayNames(this.lang, { type: 'region' });
    const now = this.getAttribute('country') ?? countries[0];
    const option = (c: string) => Object.assign(el('option', '', names.of(c) ?? c), { value: c, selected: c === now });
    const pick = el('select', '', ...countries.map(option));
    pick.dataset.key = 'country';
    const parts: Node[] = [el('label', '', w.deliver_to, pick)];
    const postcode = Object.assign(el('input', 'text'), { maxLength: 12, value: this.getAttribute('at-postcode') ?? '' });
    postcode.dataset.key = 'postcode';
    const tell = () => {
      this.setAttribute('country', pick.value);
      this.setAttribute('at-postcode', postcode.value);
      this.want('deliver', { country: pick.value, postcode: postcode.value });
    };
    pick.addEventListener('change', tell);
    const go = el('button', 'button', w.estimate);
    if (this.getAttribute('postcode') === 'on') parts.push(el('label', '', w.postcode, postcode), go);
    const form = el('form', '', ...parts);
    form.addEventListener('submit', (e) => {
      e.preventDefault();
      tell();
    });
    return form;
  }
  private sums(c: Cart) {
    const list = el('dl', '');
    for (const s of c.sums)
      list.append(el('dt', '', s.text), el('dd', '', ...(s.was ? [el('s', '', el('span', 'sr', `${c.words.was} `), s.was)] : []), s.amount));
    const to = el('dd', 'total', c.to_pay);
    to.dataset.testid = 'drawer-to-pay';
    list.append(el('dt', 'total', c.words.to_pay), to);
    return list;
  }
}
customElements.define('agonal-cart', CartElement);
