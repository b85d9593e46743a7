// The embed: one script, custom elements with shadow DOM, no framework. A shop
// puts <agonal-nudge place="top_bar"> where a nudge may show, and tells the cart
// through window.Agonal or a JSON script element with the id agonal-request.
// What the shop's server already knows (agonal-decision) is used at once. If
// Agonal cannot be reached, elements stay as they are and the page goes on.

import type { Cart } from './drawn';

type Minor = number;
interface Words {
  text: string;
  strong?: boolean;
}
interface Mark {
  at: Minor;
  reached: boolean;
  label: string;
  goal: string;
}
interface Said {
  nudge: string;
  revision: number;
  rung: number;
  state: string;
  newly?: boolean;
  language: string;
  text: string;
  pieces: Words[];
  progress: { value: Minor; most: Minor; marks: Mark[]; text: string };
  look: { tone?: string; bar?: string; goods?: string; marked?: number };
  tables?: { sku: string; rows: Row[] }[];
  hints?: Hint[];
  builder?: Builder;
  heading?: string;
  picture?: string;
  ends?: { seconds: number; text: string };
  once?: boolean;
}
interface Builder {
  slots: { name?: string; bounds: string; goods: Good[] }[];
  empty: string;
  most: number;
  words: Record<'choose' | 'more' | 'fewer' | 'sold_out' | 'place' | 'spare' | 'put' | 'clear' | 'once', string>;
  plans?: { plan: string; text: string; next?: string[] }[];
}
interface Good {
  sku: string;
  label: string;
  picture?: string;
  price: string;
  by?: Record<string, string>;
  out?: boolean;
}
interface Piece {
  sku: string;
  quantity: number;
}
interface Row {
  here?: boolean;
  marked?: boolean;
  total?: string;
  add?: number;
  range: string;
  price: string;
  act: string;
}
interface Hint {
  id?: string;
  sku: string;
  add: number;
  text: string;
  act: string;
}
interface Rung {
  rung: number;
  state: string;
}
interface Build {
  nudge: string;
  id: string;
  state: string;
  pieces: number;
  text: string;
  next?: { pieces: number };
}
interface Decision {
  locale?: string;
  lines: (Piece & { build?: { nudge: string; id: string } })[];
  builds?: Build[];
  cart?: Cart;
  says: Said[];
  shown: Record<string, string[]>;
  nudges: { nudge: string; revision: number; rungs: Rung[] }[];
}
interface Visit {
  id: string;
  reached: { nudge: string; rung: number }[];
  seen: string[];
  shown: { nudge: string; revision: number }[];
}
interface Request {
  cart: unknown;
  moment?: object;
  visit?: object;
}
/** An element that draws from the decision. */
interface Drawn extends HTMLElement {
  draw(): void;
}

(() => {
  const script = document.currentScript as HTMLScriptElement | null;
  const key = script?.dataset.key ?? '';
  const base = script ? new URL(script.src).origin : '';
  const live = key !== '';
  const cookie = 'agonal_visit';
  const timeout = 2500;
  const refreshEvery = 20000;

  const readVisit = (): Visit => {
    const m = document.cookie.match(new RegExp(`(?:^|; )${cookie}=([^;]*)`));
    if (m) {
      try {
        const v = JSON.parse(decodeURIComponent(m[1])) as Visit;
        if (v.id) return { id: v.id, reached: v.reached ?? [], seen: v.seen ?? [], shown: v.shown ?? [] };
      } catch {
        /* a cookie that cannot be read begins a new visit */
      }
    }
    return { id: crypto.randomUUID?.() ?? String(Math.random()).slice(2), reached: [], seen: [], shown: [] };
  };
  const keepVisit = () => {
    if (!live) return;
    visit.reached = visit.reached.slice(-30);
    visit.seen = visit.seen.slice(-60);
    visit.shown = visit.shown.slice(-30);
    document.cookie = `${cookie}=${encodeURIComponent(JSON.stringify(visit))}; path=/; SameSite=Lax`;
  };
  const visit = readVisit();
  keepVisit();

  let request: Request | null = null;
  let decision: Decision | null = null;
  let turn = 0;
  const elements = new Set<Drawn>();

  const post = (path: string, body: unknown, keepalive = false): Promise<Response> => {
    const stop = new AbortController();
    const timer = setTimeout(() => stop.abort(), timeout);
    return fetch(base + path, {
      method: 'POST',
      signal: stop.signal,
      keepalive,
      headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${key}` },
      body: JSON.stringify(body),
    }).finally(() => clearTimeout(timer));
  };

  const queue: { kind: string; nudge: string; revision: number; rung: number }[] = [];
  let flushing = 0;
  const report = (kind: string, nudge: string, revision: number, rung: number) => {
    const mark = `${kind}:${nudge}:${kind === 'shown' ? 0 : rung}`;
    if (!live || visit.seen.includes(mark)) return;
    visit.seen.push(mark);
    keepVisit();
    queue.push({ kind, nudge, revision, rung });
    flushing ||= window.setTimeout(flush, 1500);
  };
  const flush = () => {
    clearTimeout(flushing);
    flushing = 0;
    if (!queue.length) return;
    const events = queue.splice(0, 50);
    post('/v1/events', { visit: visit.id, events }, true).catch(() => {});
  };
  addEventListener('pagehide', flush);

  // Only what this page has a place for is asked for.
  const known = ['top_bar', 'product_block', 'cart_drawer', 'cart_page', 'launcher', 'set_builder', 'dialog'];
  let asked: string[] = [];
  const placesHere = () => {
    const here = [...new Set([...elements].filter((e) => e instanceof NudgeElement).map((e) => e.getAttribute('place') ?? ''))];
    for (const p of here) if (!known.includes(p)) console.warn(`agonal-nudge: there is no place “${p}”; there are ${known.join(', ')}.`);
    return here.filter((p) => known.includes(p));
  };

  // The cart's own script is fetched where a page has a cart of ours.
  const drawn = () => !!document.querySelector('agonal-cart, agonal-nudge[place=dialog]');
  const fetchCart = () => {
    if (!document.querySelector('agonal-cart') || customElements.get('agonal-cart')) return;
    document.head.append(Object.assign(document.createElement('script'), { src: `${base}/embed/v1-cart.js` }));
  };

  /** Asks for a decision, about the cart with some more lines in it; none where there is no answer. */
  const askFor = async (from: Request, places: string[], more: object[] = []): Promise<Decision | undefined> => {
    const cart = from.cart as { lines?: object[] };
    try {
      const r = await post(`/v1/decisions?from=${encodeURIComponent(location.pathname)}`, {
        ...from,
        cart: { ...cart, lines: [...(cart.lines ?? []), ...more] },
        ...(drawn() && { drawn: true, suggest: true }),
        moment: { ...from.moment, placements: places },
        visit: { ...from.visit, id: visit.id, reached: visit.reached, shown: visit.shown },
      });
      return r.ok ? ((await r.json()) as Decision) : undefined;
    } catch {
      return undefined; // what is shown stays; the shop does not need us
    }
  };
  const decide = async () => {
    if (!live || !request) return;
    const mine = ++turn;
    asked = placesHere();
    const d = await askFor(request, asked);
    if (d && mine === turn) render(d);
  };

  const render = (d: Decision) => {
    decision = d;
    for (const e of elements) e.draw();
    for (const n of d.nudges) for (const r of n.rungs) if (r.state === 'reached') report('reached', n.nudge, n.revision, r.rung);
    for (const s of d.says)
      if (s.newly && !visit.reached.some((x) => x.nudge === s.nudge && x.rung === s.rung)) visit.reached.push({ nudge: s.nudge, rung: s.rung });
    keepVisit();
    document.dispatchEvent(new CustomEvent('agonal:decision', { detail: d }));
  };

  const css = `
    :host { display: block; container-type: inline-size }
    :host([hidden]) { display: none }
    .n { box-sizing: border-box; min-height: var(--agonal-height, 56px); padding: 8px 20px 9px; display: flex; flex-direction: column; justify-content: center; gap: 7px; font: inherit; font-size: 14px; line-height: 1.35; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff) }
    .paper { background: var(--agonal-paper, #fff); color: var(--agonal-paper-text, #1b2a4a) }
    .accent { background: var(--agonal-accent, #f0c35a); color: var(--agonal-accent-text, #23180a) }
    p { margin: 0 } b { font-weight: 700 }
    .bar { position: relative; height: 8px; background: color-mix(in srgb, currentColor 22%, transparent) }
    .fill { height: 100%; background: var(--agonal-fill, #f0c35a); transition: width .2s }
    .paper .fill { background: var(--agonal-fill-paper, #b8780f) } .accent .fill { background: currentColor }
    .reached .fill { background: var(--agonal-done, #5fc0a8) } .paper.reached .fill { background: var(--agonal-done-paper, #0e5a56) }
    i { position: absolute; top: -2px; width: 2px; height: 12px; margin-left: -2px; background: currentColor }
    .solid i { display: none }
    .marks { list-style: none; margin: 0; padding: 0; display: grid; gap: 3px }
    .marks li { display: flex; gap: .6em } .marks li::before { content: '○'; width: 1.1em; flex: none } .marks .done::before { content: '✓'; color: var(--agonal-done, #5fc0a8) }
    .paper .marks .done::before { color: var(--agonal-done-paper, #0e5a56) } .accent .marks .done::before { color: inherit }
    .marks span { margin-left: auto; font-variant-numeric: tabular-nums }
    :host([place=launcher]) { position: fixed; z-index: 40; left: 16px; bottom: 16px; width: auto; container-type: normal }
    .round { width: 52px; height: 52px; padding: 0; border-radius: 50%; background: conic-gradient(var(--agonal-fill, #f0c35a) var(--share, 0%), color-mix(in srgb, var(--agonal-text, #fff) 35%, var(--agonal-ground, #1b2a4a)) 0); display: grid; place-items: center; box-shadow: 0 2px 10px #0004 }
    .round::after { content: '%'; width: 40px; height: 40px; border-radius: 50%; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); display: grid; place-items: center; font-weight: 700 }
    .reached.round::after { content: '✓' }
    .round + .n { position: absolute; left: 0; bottom: 62px; width: min(300px, calc(100vw - 32px)) } .round[aria-expanded=false] + .n { display: none }
    [hidden] { display: none }
    .prices { width: 100%; border-collapse: collapse; font: inherit }
    .prices td { padding: 6px 8px; border-top: 1px solid color-mix(in srgb, currentColor 25%, transparent); text-align: left }
    .prices td + td { text-align: right; font-variant-numeric: tabular-nums } .prices .here { font-weight: 700 }
    .prices .marked td:first-child::before { content: '★ ' } .prices .marked { background: color-mix(in srgb, var(--agonal-fill, #f0c35a) 26%, transparent) } .all { display: block; opacity: .8 }
    .heading { margin: 0; font: inherit; font-size: 22px; line-height: 1.2 } .ends { font-variant-numeric: tabular-nums; font-weight: 600 } .ask { max-width: min(420px, calc(100vw - 32px)); border: 0; padding: 24px; color: var(--agonal-paper-text, #1b2a4a); background: var(--agonal-drawer, #fff); font-size: 15px } .ask p { margin: 8px 0 14px } .ask::backdrop { background: #1b2a4a73 }
    .offer { display: flex; gap: 14px; align-items: center; padding: 8px 0; border-top: 1px solid color-mix(in srgb, currentColor 20%, transparent) } .offer .name { flex: 1 } .ask .put { padding: 8px 16px; min-height: 44px; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none }
    .plain { background: none; color: inherit; padding: 0; min-height: 0 }
    button { font: inherit; color: inherit; background: none; border: 0; padding: 4px 0; min-height: 28px; text-decoration: underline; text-underline-offset: 3px; cursor: pointer }
    .hint { color: var(--agonal-hint, #7d4f05); font: inherit; font-size: 14px; line-height: 1.4 } .hint button { margin-left: .4em }
    .set { display: grid; gap: 14px; font-size: 15px } 
    .set ol, .set ul { list-style: none; margin: 0; padding: 0; display: grid; gap: 8px }
    .places { grid-template-columns: repeat(auto-fill, minmax(92px, 1fr)) }
    .places li { min-height: 84px; display: grid; place-items: center; text-align: center; font-size: 13px; border: 1px dashed var(--agonal-open, #b8780f); color: var(--agonal-hint, #7d4f05); background: var(--agonal-open-ground, #fdf6e3) }
    .places .full { border: 1px solid var(--agonal-done-paper, #0e5a56); background: none; color: inherit } .places .spare { border-color: color-mix(in srgb, currentColor 35%, transparent); background: none; color: inherit }
    .set .out { display: grid; place-items: center; gap: 3px; width: 100%; height: 100%; padding: 6px 4px; text-decoration: none; line-height: 1.2 }
    .set .foot { padding: 10px 0; background: var(--agonal-drawer, #fff); border-top: 1px solid color-mix(in srgb, currentColor 22%, transparent); display: flex; flex-wrap: wrap; gap: 8px 16px; align-items: center; justify-content: space-between } .far { font-weight: 600 }
    @media (min-height: 560px) { .set .foot { position: sticky; bottom: 0 } }
    .set .put { padding: 10px 18px; min-height: 44px; border: 1px solid var(--agonal-ground, #1b2a4a); background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none }
    .set .put[aria-disabled=true] { background: none; color: inherit; opacity: .72; cursor: default }
    .set h3 { margin: 4px 0 6px; font: inherit; font-weight: 700 } .set small { font-weight: 400 }
    .cards { grid-template-columns: repeat(auto-fill, minmax(118px, 1fr)) } .cards li { display: flex; flex-direction: column; gap: 2px; align-items: center; text-align: center; padding: 10px 6px; background: var(--agonal-card, #e8edf1) }
    .cards .name { line-height: 1.25 } .set .taken { outline: 2px solid var(--agonal-done-paper, #0e5a56); outline-offset: -2px } .set .gone { opacity: .62 }
    .list li { display: flex; gap: 10px; align-items: center; padding: 4px 8px; border-top: 1px solid color-mix(in srgb, currentColor 18%, transparent) } .list .name { flex: 1 }
    .cards .acts { margin-top: auto } .acts { display: inline-flex; gap: 6px; align-items: center } .set .acts button { min-width: 44px; min-height: 44px } .price { font-variant-numeric: tabular-nums } .plan { font: inherit; padding: 8px; min-height: 44px }
    @media (prefers-reduced-motion: reduce) { .fill { transition: none } }`;
  // A sheet of its own needs no permission for inline styles from the shop's pages.
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(css);

  /** What a press of a button asks the shop to put into the cart. */
  const puts = (from: HTMLElement, text: string, sku: string, add: number) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.textContent = text;
    b.addEventListener('click', () => from.dispatchEvent(new CustomEvent('agonal:put', { bubbles: true, composed: true, detail: { sku, add } })));
    return b;
  };

  /** Names of the pieces that a set is being put together from, kept for this tab. */
  const draftKey = (nudge: string) => `agonal-set-${nudge}`;
  const readDraft = (nudge: string): { pieces: Piece[]; plan?: string } => {
    try {
      return JSON.parse(sessionStorage.getItem(draftKey(nudge)) ?? '') as { pieces: Piece[]; plan?: string };
    } catch {
      return { pieces: [] };
    }
  };
  const el = <K extends keyof HTMLElementTagNameMap>(tag: K, cls: string, ...kids: (Node | string)[]) => {
    const e = document.createElement(tag);
    if (cls) e.className = cls;
    e.append(...kids);
    return e;
  };
  const press = (text: string, cls: string, act: () => void, label = '') => {
    const b = el('button', cls, text);
    b.type = 'button';
    if (label) b.setAttribute('aria-label', label);
    b.addEventListener('click', act);
    return b;
  };

  const otherDialog = () => !!document.querySelector('dialog[open]') || !!(document.querySelector('agonal-cart') as { isOpen?: boolean } | null)?.isOpen;
  document.addEventListener('agonal:cart-closed', () => decision && elements.forEach((e) => e.getAttribute('place') === 'dialog' && e.draw()));

  /** What is left of a time, in the manner of a language: days and hours, or hours, minutes and seconds. */
  const leftOf = (seconds: number, language: string) => {
    const part = (n: number, unit: string) => new Intl.NumberFormat(language, { style: 'unit', unit, unitDisplay: 'short' }).format(n);
    const [d, h, m, s] = [Math.floor(seconds / 86400), Math.floor(seconds / 3600) % 24, Math.floor(seconds / 60) % 60, seconds % 60];
    if (d) return `${part(d, 'day')} ${part(h, 'hour')}`;
    return h ? `${part(h, 'hour')} ${part(m, 'minute')}` : `${part(m, 'minute')} ${part(s, 'second')}`;
  };

  /** Where a set is put together: its places, how far it is, and the goods to choose from. */
  class SetBuilder {
    private asked = 0;
    private own?: Build;
    private pieces: Piece[] = [];
    private plan = '';
    readonly box = el('div', 'set');

    constructor(
      private host: HTMLElement,
      private said: Said,
    ) {
      const kept = readDraft(said.nudge);
      if (live) [this.pieces, this.plan] = [kept.pieces, kept.plan ?? ''];
      if (live && this.pieces.length) void this.ask();
    }
    /** What the page's own decision says: of a preview also what lies in the set. */
    told(s: Said, d: Decision) {
      this.said = s;
      if (!live) {
        this.own = d.builds?.find((b) => b.nudge === s.nudge);
        this.pieces = d.lines.filter((l) => l.build?.nudge === s.nudge && l.build.id === this.own?.id);
      }
      this.draw();
    }
    private change(sku: string, by: number) {
      if (!live) {
        this.host.dispatchEvent(new CustomEvent('agonal:put', { bubbles: true, composed: true, detail: { sku, add: by } }));
        return;
      }
      if (!this.pieces.some((p) => p.sku === sku)) this.pieces = [...this.pieces, { sku, quantity: 0 }];
      this.pieces = this.pieces.map((p) => (p.sku === sku ? { sku, quantity: p.quantity + by } : p)).filter((p) => p.quantity > 0);
      this.keep();
    }
    private keep() {
      sessionStorage.setItem(draftKey(this.said.nudge), JSON.stringify({ pieces: this.pieces, plan: this.plan }));
      this.draw();
      void this.ask();
    }
    /** How far it is the decision says, about the cart with the set in it. */
    private async ask() {
      const mine = ++this.asked;
      if (!this.pieces.length) {
        this.own = undefined;
        return this.draw();
      }
      const build = { nudge: this.said.nudge, id: 'draft' };
      const lines = this.pieces.map((p) => ({ ...p, build, ...(this.plan && { plan: this.plan }) }));
      const d = request && (await askFor(request, [this.host.getAttribute('place') ?? ''], lines));
      if (mine !== this.asked) return;
      this.own = d?.builds?.find((b) => b.nudge === build.nudge && b.id === build.id);
      this.draw();
    }
    private send() {
      const detail = { nudge: this.said.nudge, lines: this.pieces, plan: this.plan };
      if (live) sessionStorage.removeItem(draftKey(this.said.nudge));
      this.host.dispatchEvent(new CustomEvent('agonal:put-set', { bubbles: true, composed: true, detail }));
    }
    private draw() {
      const b = this.said.builder!;
      const w = b.words;
      const root = this.host.shadowRoot!;
      const focus = (root.activeElement as HTMLElement | null)?.dataset.key;
      const goods = b.slots.flatMap((s) => s.goods);
      const lying = this.pieces.flatMap((p) => Array<Good | undefined>(p.quantity).fill(goods.find((g) => g.sku === p.sku)));
      const first = Math.min(...this.said.progress.marks.map((m) => m.at));
      const open = Math.max(lying.length, this.own?.next?.pieces ?? (this.own ? lying.length : first));
      const places = el('ol', 'places');
      for (let i = 0; i < Math.max(b.most, lying.length); i++) {
        const g = lying[i];
        const li = el('li', g ? 'full' : i < open ? 'open' : 'spare');
        if (g) {
          const out = press('', 'out', () => this.change(g.sku, -1), `${w.fewer}: ${g.label}`);
          out.dataset.key = `place-${i}`;
          out.append(...this.picture(g), g.label);
          li.append(out);
        } else li.append(i < open ? w.place : w.spare);
        places.append(li);
      }
      const whole = this.own?.state === 'given' || this.own?.state === 'outdone';
      const put = press(w.put, 'put', () => whole && this.send());
      put.setAttribute('aria-disabled', String(!whole));
      put.dataset.key = 'put';
      const far = el('p', 'far', this.pieces.length ? (this.own?.text ?? '…') : b.empty);
      far.setAttribute('role', 'status');
      this.box.lang = this.said.language;
      const foot = el('div', 'foot', far, put);
      if (b.plans?.length) foot.prepend(this.plans(b.plans));
      this.box.replaceChildren(places, ...b.slots.map((s) => this.slot(s, b)), foot);
      if (focus) this.box.querySelector<HTMLElement>(`[data-key="${CSS.escape(focus)}"]`)?.focus({ preventScroll: true });
    }
    private picture(g: Good) {
      return g.picture ? [Object.assign(document.createElement('img'), { src: g.picture, alt: '', width: 40, height: 40 })] : [];
    }
    /** How it is bought: once, or by a plan, whose next parcels are told. */
    private plans(plans: NonNullable<Builder['plans']>) {
      if (!plans.some((p) => p.plan === this.plan)) this.plan = plans[0].plan;
      const option = (p: { plan: string; text: string }) => Object.assign(el('option', '', p.text), { value: p.plan, selected: p.plan === this.plan });
      const pick = el('select', 'plan', ...plans.map(option));
      pick.dataset.key = 'plan';
      pick.setAttribute('aria-label', plans.map((p) => p.text).join(', '));
      pick.addEventListener('change', () => {
        this.plan = pick.value;
        this.keep();
      });
      const day = new Intl.DateTimeFormat(decision?.locale ?? this.said.language, { day: 'numeric', month: 'short', timeZone: 'UTC' });
      const next = plans.find((p) => p.plan === this.plan)?.next ?? [];
      return el('label', '', pick, ' ', el('small', '', next.map((d) => day.format(new Date(d))).join(' · ')));
    }
    private slot(s: Builder['slots'][0], b: Builder) {
      const w = b.words;
      const list = el('ul', `goods ${this.said.look.goods ?? 'cards'}`);
      for (const g of s.goods) {
        const have = this.pieces.find((p) => p.sku === g.sku)?.quantity ?? 0;
        const acts = el('span', 'acts');
        const more = press(have ? '+' : w.choose, 'more', () => this.change(g.sku, 1), `${have ? w.more : w.choose}: ${g.label}`);
        more.dataset.key = `more-${g.sku}`;
        if (have) {
          const fewer = press('−', 'fewer', () => this.change(g.sku, -1), `${w.fewer}: ${g.label}`);
          fewer.dataset.key = `fewer-${g.sku}`;
          acts.append(fewer, el('b', '', String(have)));
        }
        const price = g.by?.[this.plan] ?? (this.plan ? undefined : g.price);
        const gone = g.out || !price;
        acts.append(gone ? w.sold_out : more);
        list.append(el('li', have ? 'taken' : gone ? 'gone' : '', ...this.picture(g), el('span', 'name', g.label), el('span', 'price', price ?? ''), acts));
      }
      const head = el('h3', '', s.name || '', ' ', el('small', '', s.bounds));
      return el('section', '', ...(b.slots.length > 1 || s.name ? [head] : []), list);
    }
  }

  const step = (m: Mark) => {
    const li = document.createElement('li');
    if (m.reached) li.className = 'done';
    const goal = document.createElement('span');
    goal.textContent = m.goal;
    li.append(m.label, goal);
    return li;
  };

  class NudgeElement extends HTMLElement {
    static observedAttributes = ['sku'];
    private root = this.attachShadow({ mode: 'open' });
    private body?: HTMLDivElement;
    private seeing = 0;
    private now?: Said;
    private set?: SetBuilder;
    private ticking = 0;
    private watch = new IntersectionObserver(
      ([e]) => {
        clearTimeout(this.seeing);
        if (e.isIntersecting && this.now) {
          const s = this.now;
          this.seeing = window.setTimeout(() => {
            if (!visit.shown.some((x) => x.nudge === s.nudge && x.revision === s.revision)) visit.shown.push({ nudge: s.nudge, revision: s.revision });
            keepVisit();
            report('shown', s.nudge, s.revision, s.rung);
          }, 1000);
        }
      },
      { threshold: 0.5 },
    );

    connectedCallback() {
      this.root.adoptedStyleSheets = [sheet];
      this.root.innerHTML = '<slot></slot>'; // what the shop's server wrote, until we know better
      elements.add(this);
      if (!decision) return;
      this.draw();
      const place = this.getAttribute('place') ?? '';
      if (live && known.includes(place) && !asked.includes(place)) void decide(); // a place that was not there when we asked
    }
    attributeChangedCallback() {
      if (this.now) this.draw(); // another variant has other prices
    }
    disconnectedCallback() {
      elements.delete(this);
      this.watch.disconnect();
      clearTimeout(this.seeing);
    }
    draw() {
      const id = decision?.shown[this.getAttribute('place') ?? '']?.[0];
      const s = decision?.says.find((x) => x.nudge === id);
      const same = s && this.now && s.nudge === this.now.nudge;
      this.now = s;
      this.hidden = !s;
      clearInterval(this.ticking);
      if (s && this.getAttribute('place') === 'dialog') return this.asks(s);
      if (!s) {
        this.root.textContent = '';
        this.body = this.set = undefined;
        this.watch.disconnect();
        return;
      }
      if (!this.body) {
        this.root.innerHTML = `<div part="nudge"><p role="status" aria-live="polite"></p><div class="bar" role="progressbar" aria-valuemin="0"><div class="fill"></div></div><ol class="marks"></ol><table class="prices"></table></div>`;
        this.body = this.root.querySelector('div')!;
        if (this.getAttribute('place') === 'launcher') this.launch();
      }
      if (s.builder && ['set_builder', 'product_block'].includes(this.getAttribute('place') ?? '')) return this.build(s, !same);
      const look = s.look.bar ?? 'rule';
      const rows = this.getAttribute('place') === 'product_block' ? this.rows(s) : undefined;
      this.body.className = rows ? 'n plain' : `n ${s.look.tone ?? 'ink'} ${s.state} ${look}`;
      this.table(s, rows);
      const p = this.body.querySelector('p')!;
      if (p.textContent !== s.text) {
        p.lang = s.language;
        p.replaceChildren(
          ...s.pieces.map((w) => {
            if (!w.strong) return document.createTextNode(w.text);
            const b = document.createElement('b');
            b.textContent = w.text;
            return b;
          }),
        );
      }
      const bar = this.body.querySelector<HTMLElement>('.bar')!;
      const { value, most, marks, text } = s.progress;
      bar.hidden = look === 'none' || look === 'steps' || most <= 0 || !!rows;
      bar.style.display = bar.hidden ? 'none' : '';
      bar.setAttribute('aria-valuemax', String(most));
      bar.setAttribute('aria-valuenow', String(value));
      bar.setAttribute('aria-valuetext', text);
      bar.setAttribute('aria-label', s.text);
      const share = (m: Minor) => (most > 0 ? Math.min(100, (100 * m) / most) : 100);
      bar.querySelector<HTMLElement>('.fill')!.style.width = `${share(value)}%`;
      const list = this.body.querySelector('ol')!;
      list.hidden = look !== 'steps' || !!rows;
      list.lang = s.language;
      list.replaceChildren(...(list.hidden ? [] : marks.map(step)));
      const round = this.root.querySelector<HTMLElement>('.round');
      if (round) {
        round.className = `round ${s.state}`;
        round.style.setProperty('--share', `${share(value)}%`);
        round.setAttribute('aria-label', s.text);
      }
      bar.querySelectorAll('i').forEach((x) => x.remove());
      for (const m of marks) {
        const tick = document.createElement('i');
        tick.style.left = `${share(m.at)}%`;
        bar.append(tick);
      }
      this.count(s);
      this.block(s, !!rows);
      if (!same) {
        this.watch.disconnect();
        this.watch.observe(this);
      }
    }
    /** What stands above and beside a block: the merchant's own words, and a picture. */
    private block(s: Said, is: boolean) {
      this.root.querySelectorAll('.heading, .beside').forEach((x) => x.remove());
      if (!is || !this.body) return;
      if (s.picture) this.body.prepend(Object.assign(el('img', 'beside'), { src: s.picture, alt: '', width: 64, height: 64 }));
      if (s.heading) this.body.prepend(el('h2', 'heading', s.heading));
    }
    /** Counts down to the real end; past it the shop is asked again. */
    private count(s: Said) {
      clearInterval(this.ticking);
      this.root.querySelector('.ends')?.remove();
      if (!s.ends || !this.body) return;
      const end = Date.now() + s.ends.seconds * 1000;
      const p = el('p', 'ends');
      p.lang = s.language;
      const tick = () => {
        const left = Math.round((end - Date.now()) / 1000);
        if (left > 0) p.textContent = s.ends!.text.replace('{time}', leftOf(left, s.language));
        else {
          clearInterval(this.ticking);
          p.remove();
          void decide();
        }
      };
      tick();
      this.ticking = window.setInterval(tick, 1000);
      this.body.querySelector('p')!.after(p);
    }
    /** A gift is to be chosen: asked once, and not again after it was closed. */
    private asks(s: Said) {
      const choice = decision?.cart?.choices?.find((c) => c.nudge === s.nudge && ['to_pick', 'offered'].includes(c.state));
      const key = `closed:${s.nudge}:${s.rung}`;
      this.hidden = true;
      if (!choice || !['reached', 'waiting'].includes(s.state)) {
        if (decision?.cart && !choice && !s.once) visit.seen = visit.seen.filter((k) => k !== key); // newly earned, it may be offered again
        this.root.querySelector('dialog')?.remove();
        return;
      }
      if (visit.seen.includes(key)) return;
      // One dialog at a time: what has just opened goes first, and this one follows it.
      clearTimeout(this.ticking);
      if (this.root.querySelector('dialog[open]')) return;
      this.ticking = window.setTimeout(() => {
        if (!otherDialog()) this.ask(s, choice, key);
      }, 80);
    }
    private ask(s: Said, choice: NonNullable<Cart['choices']>[0], key: string) {
      this.hidden = false;
      const w = decision!.cart!.words;
      const box = el('dialog', 'ask', el('h2', 'heading', choice.title), el('p', '', s.text));
      box.setAttribute('aria-label', choice.title);
      box.lang = s.language;
      const done = () => {
        visit.seen.push(key);
        keepVisit();
        box.remove();
        this.hidden = true;
      };
      for (const it of choice.items ?? []) {
        const take = press(
          w.take,
          'put',
          () => {
            box.close();
            this.dispatchEvent(new CustomEvent('agonal:gift', { bubbles: true, composed: true, detail: { nudge: s.nudge, sku: it.sku, act: 'pick' } }));
          },
          `${w.take}: ${it.label}`,
        );
        const picture = it.picture ? [Object.assign(document.createElement('img'), { src: it.picture, alt: '', width: 64, height: 64 })] : [];
        box.append(el('div', 'offer', ...picture, el('span', 'name', it.label, it.price ? ` · ${it.price}` : ''), take));
      }
      box.append(press(w.close, '', () => box.close()));
      box.addEventListener('close', done);
      box.addEventListener('click', (e) => e.target === box && box.close());
      this.root.querySelector('dialog')?.remove();
      this.root.append(box);
      box.showModal();
      this.watch.observe(this);
      report('shown', s.nudge, s.revision, s.rung);
    }
    /** A set is put together here: the words as ever, its places and goods below them. */
    private build(s: Said, anew: boolean) {
      this.body!.className = 'n plain';
      const p = this.body!.querySelector('p')!;
      if (anew || !this.set) {
        this.set = new SetBuilder(this, s);
        this.body!.replaceChildren(el('h2', 'heading', s.heading ?? ''), p, this.set.box);
        this.watch.disconnect();
        this.watch.observe(this);
      }
      this.body!.querySelector('h2')!.hidden = !s.heading;
      p.lang = s.language;
      if (p.textContent !== s.text) p.textContent = s.text;
      this.count(s);
      this.set.told(s, decision!);
    }
    /** A small mark at the edge of the page opens what the nudge says. */
    private launch() {
      const b = document.createElement('button');
      b.type = 'button';
      b.className = 'round';
      b.setAttribute('aria-expanded', 'false');
      b.addEventListener('click', () => b.setAttribute('aria-expanded', String(b.getAttribute('aria-expanded') === 'false')));
      this.body!.before(b);
    }
    /** The prices of the variant that is chosen, else of the first. */
    private rows(s: Said) {
      const sku = this.getAttribute('sku');
      return (s.tables?.find((t) => t.sku === sku) ?? (sku ? undefined : s.tables?.[0]))?.rows;
    }
    private table(s: Said, rows?: Row[]) {
      const table = this.body!.querySelector('table')!;
      table.hidden = !rows;
      table.lang = s.language;
      const sku = this.getAttribute('sku') ?? s.tables?.[0]?.sku ?? '';
      const filled = (rows ?? []).map((r) => {
        const tr = document.createElement('tr');
        if (r.here || r.marked) tr.className = [r.here && 'here', r.marked && 'marked'].filter(Boolean).join(' ');
        tr.append(...[r.range, r.price].map((text) => el('td', '', text)));
        if (r.total) tr.lastElementChild!.append(el('small', 'all', r.total));
        const act = document.createElement('td');
        if (r.add && !r.here) act.append(puts(this, r.act, sku, r.add));
        else act.textContent = r.act;
        tr.append(act);
        return tr;
      });
      const focused = [...table.querySelectorAll('button')].indexOf(this.root.activeElement as HTMLButtonElement);
      table.replaceChildren(...filled);
      table.querySelectorAll('button')[focused]?.focus();
    }
  }

  /** What a few more pieces of a cart line would cost: <agonal-line sku="…">. */
  class LineElement extends HTMLElement {
    private root = this.attachShadow({ mode: 'open' });
    private shown = '';

    connectedCallback() {
      this.root.adoptedStyleSheets = [sheet];
      elements.add(this);
      this.draw();
    }
    disconnectedCallback() {
      elements.delete(this);
    }
    draw() {
      const id = this.getAttribute('line');
      const sku = this.getAttribute('sku');
      for (const s of decision?.says ?? []) {
        const h = s.hints?.find((x) => x.sku === sku && (!id || !x.id || x.id === id));
        if (!h) continue;
        this.hidden = false;
        if (this.shown === h.text) return;
        this.shown = h.text;
        const p = document.createElement('p');
        p.className = 'hint';
        p.lang = s.language;
        p.append(h.text, puts(this, h.act, h.sku, h.add));
        this.root.replaceChildren(p);
        return;
      }
      this.hidden = true;
      this.shown = '';
      this.root.replaceChildren();
    }
  }

  const json = <T>(id: string): T | null => {
    try {
      return JSON.parse(document.getElementById(id)?.textContent ?? '') as T;
    } catch {
      return null;
    }
  };

  const api = {
    /** The decision as it was last told. */
    decision: () => decision,
    update: (r: Request) => {
      request = r;
      return decide();
    },
    render,
    visit: () => visit,
  };
  (window as unknown as { Agonal: typeof api }).Agonal = api;

  const begin = () => {
    request = json<Request>('agonal-request');
    const told = json<Decision>('agonal-decision');
    asked = placesHere();
    fetchCart();
    if (told) render(told);
    if (!told || drawn()) void decide();
    if (!live) return;
    setInterval(() => {
      if (document.visibilityState === 'visible') void decide();
    }, refreshEvery);
    document.addEventListener('visibilitychange', () => {
      if (document.visibilityState === 'visible') void decide();
    });
  };
  customElements.define('agonal-nudge', NudgeElement);
  customElements.define('agonal-line', LineElement);
  if (document.readyState === 'loading') document.addEventListener('DOMContentLoaded', begin);
  else begin();
})();
