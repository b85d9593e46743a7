import { el, press } from './dom';
import type { Build, Builder, Decision, Good, Piece, Said } from './embed-types';

/** What a set's builder has of the embed around it. */
export interface Ways {
  live: boolean; // in a shop; else a preview, whose page around it keeps the cart
  /** A decision about the cart with some more lines in it. */
  ask(place: string, lines: object[]): Promise<Decision | undefined>;
  locale(): string | undefined;
}

/** Names of the pieces that a set is being put together from, kept for this tab. */
const draftKey = (nudge: string) => `agonal-set-${nudge}`;
const readDraft = (nudge: string): { pieces: Piece[]; plan?: string } => {
  try {
    return JSON.parse(sessionStorage.getItem(draftKey(nudge)) ?? '') as { pieces: Piece[]; plan?: string };
  } catch {
    return { pieces: [] };
  }
};

/** The goods of a slot as they are drawn: what they are, and by SKU how each stands. */
interface Section {
  of: string;
  box: HTMLElement;
  rows: Map<string, { as: string; li: HTMLElement }>;
}

/** Where a set is put together: its places, how far it is, and the goods to choose from. */
export class SetBuilder {
  private asked = 0;
  private own?: Build;
  private pieces: Piece[] = [];
  private plan = '';
  // What is drawn: places and foot are drawn anew each time, of the goods only what changes.
  private top?: HTMLElement;
  private foot?: HTMLElement;
  private sections: Section[] = [];
  readonly box = el('div', 'set');

  constructor(
    private host: HTMLElement,
    private said: Said,
    private ways: Ways,
  ) {
    const kept = readDraft(said.nudge);
    if (ways.live) [this.pieces, this.plan] = [kept.pieces, kept.plan ?? ''];
    if (ways.live && this.pieces.length) void this.ask();
  }
  /** What the page's own decision says: of a preview also what lies in the set. */
  told(s: Said, d: Decision) {
    this.said = s;
    if (!this.ways.live) {
      this.own = d.builds?.find((b) => b.nudge === s.nudge);
      this.pieces = d.lines.filter((l) => l.build?.nudge === s.nudge && l.build.id === this.own?.id);
    }
    this.draw();
  }
  private change(sku: string, by: number) {
    if (!this.ways.live) {
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
    const d = await this.ways.ask(this.host.getAttribute('place') ?? '', lines);
    if (mine !== this.asked) return;
    this.own = d?.builds?.find((b) => b.nudge === build.nudge && b.id === build.id);
    this.draw();
  }
  private send() {
    const detail = { nudge: this.said.nudge, lines: this.pieces, plan: this.plan };
    if (this.ways.live) sessionStorage.removeItem(draftKey(this.said.nudge));
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
    const sections = b.slots.map((s, i) => this.slot(this.sections[i], s, b));
    if (this.top && this.foot && sections.length === this.sections.length && sections.every((s, i) => s === this.sections[i])) {
      this.top.replaceWith(places);
      this.foot.replaceWith(foot);
    } else this.box.replaceChildren(places, ...sections.map((s) => s.box), foot);
    [this.top, this.foot, this.sections] = [places, foot, sections];
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
    const day = new Intl.DateTimeFormat(this.ways.locale() ?? this.said.language, { day: 'numeric', month: 'short', timeZone: 'UTC' });
    const next = plans.find((p) => p.plan === this.plan)?.next ?? [];
    return el('label', '', pick, ' ', el('small', '', next.map((d) => day.format(new Date(d))).join(' · ')));
  }
  /** The goods of a slot: as they are drawn already where they are the same, but for those that stand otherwise. */
  private slot(was: Section | undefined, s: Builder['slots'][0], b: Builder): Section {
    const look = this.said.look.goods ?? 'cards';
    const of = [s.name, s.bounds, look, ...s.goods.map((g) => g.sku)].join();
    const now: Section = was?.of === of ? was : { of, box: el('section', ''), rows: new Map() };
    const list = el('ul', `goods ${look}`);
    for (const g of s.goods) {
      const have = this.pieces.find((p) => p.sku === g.sku)?.quantity ?? 0;
      const price = g.by?.[this.plan] ?? (this.plan ? undefined : g.price);
      const as = [have, price, g.out].join();
      const row = now.rows.get(g.sku);
      const li = row?.as === as ? row.li : this.good(g, have, price, b.words);
      if (row && row.li !== li) row.li.replaceWith(li);
      else if (!row) list.append(li);
      now.rows.set(g.sku, { as, li });
    }
    if (now === was) return now;
    const head = el('h3', '', s.name || '', ' ', el('small', '', s.bounds));
    now.box.append(...(b.slots.length > 1 || s.name ? [head] : []), list);
    return now;
  }
  private good(g: Good, have: number, price: string | undefined, w: Builder['words']) {
    const acts = el('span', 'acts');
    const more = press(have ? '+' : w.choose, 'more', () => this.change(g.sku, 1), `${have ? w.more : w.choose}: ${g.label}`);
    more.dataset.key = `more-${g.sku}`;
    if (have) {
      const fewer = press('−', 'fewer', () => this.change(g.sku, -1), `${w.fewer}: ${g.label}`);
      fewer.dataset.key = `fewer-${g.sku}`;
      acts.append(fewer, el('b', '', String(have)));
    }
    const gone = g.out || !price;
    acts.append(gone ? w.sold_out : more);
    return el('li', have ? 'taken' : gone ? 'gone' : '', ...this.picture(g), el('span', 'name', g.label), el('span', 'price', price ?? ''), acts);
  }
}
