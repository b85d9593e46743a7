// The embed: one script, custom elements with shadow DOM, no framework. A shop
// puts <agonal-nudge place="top_bar"> where a nudge may show, and tells the cart
// through window.Agonal or a JSON script element with the id agonal-request.
// What the shop's server already knows (agonal-decision) is used at once. If
// Agonal cannot be reached, elements stay as they are and the page goes on.

import type { Cart } from './drawn';
import { el, press } from './dom';
import { css } from './embed-css';
import type { Decision, Drawn, Mark, Minor, Request, Row, Said, Visit } from './embed-types';
import { type Answer, offered } from './offer';
import { declined, recall, remember } from './remember';
import type { SetBuilder } from './set-builder';
import { themed } from './theme';

(() => {
  const script = document.currentScript as HTMLScriptElement | null;
  const key = script?.dataset.key ?? '';
  const base = script ? new URL(script.src).origin : '';
  const live = key !== '';
  const cookie = 'agonal_visit';
  const timeout = 2500;
  const refreshEvery = 20000;

  // Of the visit: a screen that is turned does not change what was promised.
  const device = matchMedia('(pointer: coarse)').matches ? (Math.min(screen.width, screen.height) < 600 ? 'phone' : 'tablet') : 'desktop';
  // Whether what is decided is told by the shop's server, which cannot know all of a visit's first page.
  let first = false;
  const readVisit = (): Visit => {
    const m = document.cookie.match(new RegExp(`(?:^|; )${cookie}=([^;]*)`));
    if (m) {
      try {
        const v = JSON.parse(decodeURIComponent(m[1])) as Visit;
        if (v.id)
          return {
            id: v.id,
            reached: v.reached ?? [],
            seen: v.seen ?? [],
            shown: v.shown ?? [],
            declined: v.declined ?? [],
            shows: v.shows ?? {},
            asked: v.asked,
            device: v.device ?? device,
            campaign: v.campaign,
          };
      } catch {
        /* a cookie that cannot be read begins a new visit */
      }
    }
    first = true;
    const campaign = Object.fromEntries([...new URLSearchParams(location.search)].filter(([k, v]) => k.startsWith('utm_') && v.length < 100).slice(0, 5));
    return { id: crypto.randomUUID?.() ?? String(Math.random()).slice(2), reached: [], seen: [], shown: [], declined: [], shows: {}, device, campaign };
  };
  const keepVisit = () => {
    if (!live) return;
    visit.reached = visit.reached.slice(-30);
    visit.seen = visit.seen.slice(-60);
    visit.shown = visit.shown.slice(-30);
    visit.declined = visit.declined.slice(-30);
    visit.shows = Object.fromEntries(Object.entries(visit.shows).slice(-30));
    document.cookie = `${cookie}=${encodeURIComponent(JSON.stringify(visit))}; path=/; SameSite=Lax`;
  };
  const visit = readVisit();
  // Who visits: a random number for 30 days, joined with no name. The shop's server may have
  // set it before.
  const visitor = (() => {
    const had = document.cookie.match(/(?:^|; )agonal_visitor=([\w-]{8,100})/)?.[1];
    if (had || !live) return had ?? '';
    const id = crypto.randomUUID?.() ?? String(Math.random()).slice(2);
    document.cookie = `agonal_visitor=${id}; path=/; max-age=${30 * 86400}; SameSite=Lax`;
    return id;
  })();
  const showsBefore = { ...visit.shows };
  let remembered = recall();
  keepVisit();

  let request: Request | null = null;
  let decision: Decision | null = null;
  let turn = 0;
  const elements = new Set<Drawn>();

  const post = (path: string, body: unknown, keepalive = false, who = ''): Promise<Response> => {
    const stop = new AbortController();
    const timer = setTimeout(() => stop.abort(), timeout);
    return fetch(base + path, {
      method: 'POST',
      signal: stop.signal,
      keepalive,
      headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${key}`, ...(who && { 'Agonal-Shopper': who }) },
      body: JSON.stringify(body),
    }).finally(() => clearTimeout(timer));
  };

  // What this visit has reported already; reported again it counts once.
  const toldKept = 'agonal-told';
  const told = new Set<string>(
    (() => {
      try {
        const [id, ...marks] = JSON.parse(sessionStorage.getItem(toldKept) ?? '[]') as string[];
        return id === visit.id ? [id, ...marks] : [visit.id];
      } catch {
        return [visit.id];
      }
    })(),
  );
  const queue: object[] = [];
  let flushing = 0;
  /** Reports something of the visit, once; of a nudge with what is known of it. */
  const report = (
    kind: string,
    of?: { nudge: string; revision: number; rung?: number },
    more: { placement?: string | null; held?: boolean; arm?: string; band?: string; ms?: number } = {},
  ) => {
    const id = `${kind}:${of?.nudge ?? ''}:${more.band ?? (kind === 'shown' ? 0 : (of?.rung ?? 0))}`;
    if (!live || told.has(id)) return;
    sessionStorage.setItem(toldKept, JSON.stringify([...told.add(id)]));
    queue.push({ id, kind, nudge: of?.nudge, revision: of?.revision, rung: of?.rung, ...more, at: new Date().toISOString() });
    flushing ||= window.setTimeout(flush, 1500);
  };
  /** Something of a nudge was to be seen, with what it asks for: how large the gap was counts once a visit. */
  const shown = (s: Said, placement: string | null) => {
    report('shown', s, { placement });
    if (!s.band || told.has(`shown_at:${s.nudge}:${s.band}`)) return;
    told.add(`${s.offer ? 'offer' : 'rung'}:${s.nudge}:${s.rung}:${s.band}`); // kept with what is reported next
    report('shown_at', s, { band: s.band });
  };
  /** What was shown so was accepted: its rung was reached, or its offer taken. */
  const accepted = (what: 'rung' | 'offer', s: { nudge: string; revision: number; rung?: number }) => {
    for (const mark of [...told]) {
      const [kind, nudge, rung, band] = mark.split(':');
      if (kind === what && nudge === s.nudge && (what === 'offer' || Number(rung) === s.rung)) report('accepted', s, { band });
    }
  };
  const flush = () => {
    clearTimeout(flushing);
    flushing = 0;
    if (!queue.length) return;
    const events = queue.splice(0, 50);
    const about = { visit: visit.id, visitor, device: visit.device, region: decision?.region, language: decision?.locale, sent_at: new Date().toISOString() };
    post('/v1/events', { ...about, events }, true).catch(() => {});
  };
  // How long the page took until its largest part was to be seen: trials watch over it.
  let took = 0;
  if (live && window.PerformanceObserver) {
    const see = (l: PerformanceObserverEntryList) => (took = Math.round(l.getEntries().at(-1)!.startTime));
    new PerformanceObserver(see).observe({ type: 'largest-contentful-paint', buffered: true });
  }
  const timed = () => {
    if (took) for (const n of decision?.nudges ?? []) if (n.arm) report('loaded', { nudge: n.nudge, revision: n.revision }, { arm: n.arm, ms: took });
  };
  setTimeout(timed, 4000);
  addEventListener('pagehide', () => {
    timed();
    flush();
  });

  // Only what this page has a place for is asked for.
  const known = ['top_bar', 'product_block', 'cart_drawer', 'cart_page', 'checkout_bump', 'after_purchase', 'launcher', 'set_builder', 'dialog'];
  let asked: string[] = [];
  const placesHere = () => {
    const here = [...new Set([...elements].filter((e) => e instanceof NudgeElement && !e.hasAttribute('from')).map((e) => e.getAttribute('place') ?? ''))];
    for (const p of here) if (!known.includes(p)) console.warn(`agonal-nudge: there is no place “${p}”; there are ${known.join(', ')}.`);
    return here.filter((p) => known.includes(p));
  };

  // The cart's own script is fetched where a page has a cart of ours.
  const drawn = () => !!document.querySelector('agonal-cart, agonal-nudge[place=dialog]');
  const fetchCart = () => {
    if (!document.querySelector('agonal-cart') || customElements.get('agonal-cart')) return;
    document.head.append(Object.assign(document.createElement('script'), { src: `${base}/embed/v1-cart.js` }));
  };

  // And that of sets where one is put together.
  let setScript: HTMLScriptElement | undefined;
  const fetchSet = () => {
    if (setScript) return;
    setScript = Object.assign(document.createElement('script'), { src: `${base}/embed/v1-set.js` });
    setScript.addEventListener('load', () => elements.forEach((e) => e.draw()));
    document.head.append(setScript);
  };

  // The gifts that lay in the cart when it was last drawn are told, so that one that leaves
  // is said to leave, and why.
  const giftsKept = 'agonal-gifts';
  const giftLines = (): object[] => {
    try {
      return JSON.parse(sessionStorage.getItem(giftsKept) ?? '[]') as object[];
    } catch {
      return [];
    }
  };
  const keepGifts = (d: Decision) => {
    if (!live || !d.cart) return;
    const lines = (d.cart.gifts ?? []).map((g) => ({ id: 'gift', sku: g.sku, quantity: g.many, origin: { kind: 'gift', nudge: g.nudge } }));
    sessionStorage.setItem(giftsKept, JSON.stringify(lines));
  };

  /** Asks for a decision, about the cart with some more lines in it; none where there is no answer. */
  const askFor = async ({ shopper_token: who, ...from }: Request, places: string[], more: object[] = []): Promise<Decision | undefined> => {
    const cart = from.cart as { lines?: object[] };
    try {
      const r = await post(
        `/v1/decisions?from=${encodeURIComponent(location.pathname)}`,
        {
          ...from,
          cart: { ...cart, lines: [...(cart.lines ?? []), ...(drawn() ? giftLines() : []), ...more] },
          ...(drawn() && { drawn: true, suggest: true }),
          moment: { ...from.moment, placements: places },
          visit: {
            device: visit.device,
            campaign: visit.campaign,
            ...from.visit,
            id: visit.id,
            visitor,
            reached: visit.reached,
            shown: visit.shown,
            declined: visit.declined,
            shows: showsBefore,
            remembered,
            ...sinceDialog(),
            ...justNow,
          },
        },
        false,
        who,
      );
      return r.ok ? ((await r.json()) as Decision) : undefined;
    } catch {
      return undefined; // what is shown stays; the shop does not need us
    }
  };
  /** How long ago something was last asked, by this device's own clock. */
  const sinceDialog = () => (visit.asked ? { since_dialog: Math.max(0, Math.floor((Date.now() - visit.asked) / 1000)) } : {});
  const decide = async () => {
    if (!live || !request) return;
    const mine = ++turn;
    asked = placesHere();
    const d = await askFor(request, asked);
    if (!d || mine !== turn) return;
    first = false;
    render(d);
  };

  // What has just happened, for nudges that wait for it: it is told until the page is left
  // or something else happens.
  let justNow: { acts?: string[]; added?: string[] } = {};
  const happened = (act: string) => {
    justNow = { acts: [act] };
    return decide();
  };
  const linesKept = 'agonal-lines';
  /** Tells from the cart, and what it was, whether something was put in. */
  const lookAtLines = (r: Request) => {
    const now: Record<string, number> = {};
    for (const l of (r.cart as { lines?: { sku: string; quantity: number; origin?: object }[] }).lines ?? [])
      if (!l.origin) now[l.sku] = (now[l.sku] ?? 0) + l.quantity;
    const before = sessionStorage.getItem(linesKept);
    sessionStorage.setItem(linesKept, JSON.stringify(now));
    if (!before) return;
    const had = JSON.parse(before) as Record<string, number>;
    const added = Object.keys(now).filter((sku) => now[sku] > (had[sku] ?? 0));
    if (added.length) justNow = { acts: ['item_added'], added: added.slice(-20) };
  };
  document.addEventListener('agonal:cart-opened', () => void happened('cart_opened'));
  const leaving = () => {
    if (!live || visit.seen.includes('left')) return;
    visit.seen.push('left');
    keepVisit();
    void happened('leaving');
  };
  // Going back is leaving, too: where somebody waits for it, the first press stays here.
  let held = false;
  document.addEventListener('pointerup', (e) => {
    if (held || !decision?.awaits?.includes('leaving') || visit.seen.includes('left') || (e.target as Element).closest('a, button, input, select, label'))
      return;
    held = true;
    history.pushState(history.state, '');
    addEventListener('popstate', leaving, { once: true });
  });
  document.addEventListener('mouseout', (e) => !e.relatedTarget && e.clientY <= 0 && leaving());
  if (matchMedia('(pointer: coarse)').matches) {
    let idle = 0;
    const wait = () => {
      clearTimeout(idle);
      idle = window.setTimeout(leaving, 45000);
    };
    for (const e of ['touchstart', 'scroll']) document.addEventListener(e, wait, { passive: true });
    wait();
  }
  let settle: () => void;
  /** Done once what has just happened was decided, and what that opened is closed. */
  const settled = new Promise<void>((done) => (settle = done));

  /** What a shopper answers to an offer: the shop takes it in; what is declined is not asked again. */
  const answer = (from: HTMLElement, s: Said, a: Answer) => {
    if (a.act !== 'drop') report(a.act === 'decline' ? 'declined' : 'taken', s);
    if (a.act === 'take' || a.act === 'together') accepted('offer', s);
    if (a.act === 'decline') {
      if (!visit.declined.includes(s.nudge)) visit.declined.push(s.nudge);
      if (live && s.remember) declined(s.nudge);
      remembered = recall();
      keepVisit();
      for (const e of elements) if (e.hasAttribute('from')) e.draw();
      return void decide();
    }
    const kind = a.act === 'together' ? 'together' : 'offer';
    from.dispatchEvent(new CustomEvent(`agonal:${kind}`, { bubbles: true, composed: true, detail: { nudge: s.nudge, ...a } }));
  };

  /** Hands out the code that an act has earned: the shop enters it as if it were typed. */
  const earned = async (nudge: string, act: string) => {
    const r = await post('/v1/codes/earn', { nudge, act, visit: visit.id }).catch(() => undefined);
    const code = r?.ok && ((await r.json()) as { code: string }).code;
    if (!code) return false;
    const codes = (request?.cart as { codes?: string[] } | undefined)?.codes ?? [];
    document.dispatchEvent(new CustomEvent('agonal:code', { detail: { codes: [...codes.filter((c) => c !== code), code] } }));
    return true;
  };
  /** The act that earns a code: the cart is shared by the shop's own way, or one stays. */
  const earn = async (from: HTMLElement, s: Said) => {
    if (!live) return from.dispatchEvent(new CustomEvent('agonal:earned', { bubbles: true, composed: true }));
    if (s.earn!.act !== 'link_shared') return earned(s.nudge, s.earn!.act);
    const { lines } = request?.cart as { lines: object[] };
    const r = await post('/v1/links', { nudge: s.nudge, visit: visit.id, cart: { lines } }).catch(() => undefined);
    if (!r?.ok) return false;
    const { token } = (await r.json()) as { token: string };
    report('shared', s);
    return from.dispatchEvent(new CustomEvent('agonal:share', { bubbles: true, composed: true, detail: { nudge: s.nudge, token, text: s.earn!.share } }));
  };

  const render = (d: Decision) => {
    decision = d;
    themed(d.theme);
    keepGifts(d);
    for (const e of elements) e.draw();
    report('visit');
    if ((request?.moment as { page?: { kind?: string } } | undefined)?.page?.kind === 'checkout') report('checkout');
    for (const n of d.nudges) {
      const held = n.reason === 'held_out';
      // How a trial treats the visit may hang on what the server did not know.
      if (!first && (held || n.rungs.length)) report('could', { nudge: n.nudge, revision: n.revision }, { held, arm: n.arm });
      for (const r of n.rungs)
        if (r.state === 'reached') {
          const of = { nudge: n.nudge, revision: n.revision, rung: r.rung };
          report('reached', of);
          accepted('rung', of);
        }
    }
    for (const s of d.says)
      if (s.newly && !visit.reached.some((x) => x.nudge === s.nudge && x.rung === s.rung)) visit.reached.push({ nudge: s.nudge, rung: s.rung });
    keepVisit();
    document.dispatchEvent(new CustomEvent('agonal:decision', { detail: d }));
  };

  // A sheet of its own needs no permission for inline styles from the shop's pages.
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(css);

  /** What a press of a button asks the shop to put into the cart. */
  const puts = (from: HTMLElement, text: string, sku: string, add: number, s?: Said) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.textContent = text;
    b.addEventListener('click', () => {
      if (s) report('added', s);
      from.dispatchEvent(new CustomEvent('agonal:put', { bubbles: true, composed: true, detail: { sku, add } }));
    });
    return b;
  };

  const otherDialog = () => !!document.querySelector('dialog[open]') || !!(document.querySelector('agonal-cart') as { isOpen?: boolean } | null)?.isOpen;
  // After something was put in the cart opens, with the gifts to choose in it: they are asked
  // for where it does not, or once it is closed.
  let cartClosed = false;
  document.addEventListener('agonal:cart-closed', () => (cartClosed = true));
  const cartComes = () => justNow.acts?.[0] === 'item_added' && !cartClosed && !!document.querySelector('agonal-cart:not([after=stay], [after=checkout])');
  document.addEventListener('agonal:cart-closed', () => decision && elements.forEach((e) => e.getAttribute('place') === 'dialog' && e.draw()));

  /** What is left of a time, in the manner of a language: days and hours, or hours, minutes and seconds. */
  const leftOf = (seconds: number, language: string) => {
    const part = (n: number, unit: string) => new Intl.NumberFormat(language, { style: 'unit', unit, unitDisplay: 'short' }).format(n);
    const [d, h, m, s] = [Math.floor(seconds / 86400), Math.floor(seconds / 3600) % 24, Math.floor(seconds / 60) % 60, seconds % 60];
    if (d) return `${part(d, 'day')} ${part(h, 'hour')}`;
    return h ? `${part(h, 'hour')} ${part(m, 'minute')}` : `${part(m, 'minute')} ${part(s, 'second')}`;
  };

  const step = (m: Mark) => {
    const li = document.createElement('li');
    if (m.reached) li.className = 'done';
    const goal = document.createElement('span');
    goal.textContent = m.goal;
    li.append(m.label, goal);
    return li;
  };

  const pageShows = new Set<string>();
  let pageAsked = '';
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
            this.counted(s);
            keepVisit();
            shown(s, this.getAttribute('place'));
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
      if (live && !this.hasAttribute('from') && known.includes(place) && !asked.includes(place)) void decide(); // a place that was not there when we asked
    }
    attributeChangedCallback() {
      if (this.now) this.draw(); // another variant has other prices
      const page = (request?.moment as { page?: { product?: string; variant?: string } } | undefined)?.page;
      const sku = this.getAttribute('sku') ?? '';
      if (!page?.product || page.variant === sku) return;
      page.variant = sku; // and goes with other goods
      void decide();
    }
    disconnectedCallback() {
      elements.delete(this);
      this.watch.disconnect();
      clearTimeout(this.seeing);
    }
    /** What is drawn here: of the cart, or of what a script element of the page tells. */
    private source() {
      const from = this.getAttribute('from');
      return from ? json<Decision>(from) : decision;
    }
    /** Where a place lists several, each has an element of its own after the first. */
    private more: HTMLElement[] = [];
    private list(place: string) {
      if (this.hasAttribute('nth')) return;
      const many = ['top_bar', 'launcher', 'dialog', 'set_builder'].includes(place) ? 0 : Math.max(0, (decision?.shown[place]?.length ?? 0) - 1);
      while (this.more.length > many) this.more.pop()!.remove();
      for (let i = 0; i < many; i++) {
        if (!this.more[i]) {
          this.more[i] = document.createElement('agonal-nudge');
          this.more[i].setAttribute('place', place);
          this.more[i].setAttribute('nth', String(i + 1));
        }
        const before = this.more[i - 1] ?? this;
        if (before.nextElementSibling !== this.more[i]) before.after(this.more[i]);
      }
    }
    draw() {
      const place = this.getAttribute('place') ?? '';
      this.list(place);
      const d = this.source();
      const id = d?.shown[place]?.[Number(this.getAttribute('nth') ?? 0)];
      const s = d === decision || !visit.declined.includes(id ?? '') ? d?.says.find((x) => x.nudge === id) : undefined;
      const same = s && this.now && s.nudge === this.now.nudge;
      if (live && this.root.querySelector('dialog[open]')) return; // it is answered first
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
      const also = this.hasAttribute('nth');
      this.body.className = rows ? 'n plain' : also ? `n paper also ${s.state}` : `n ${s.look.tone ?? 'ink'} ${s.state} ${look}`;
      this.dir = s.rtl ? 'rtl' : '';
      const own = !rows && !also ? s.look : {};
      this.body.style.background = own.own_ground ?? '';
      this.body.style.color = own.own_text ?? '';
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
      const gives = !also && !s.offer && !s.act && !s.earn && marks.some((m) => m.label);
      bar.hidden = !gives || look === 'none' || look === 'steps' || most <= 0 || !!rows;
      bar.style.display = bar.hidden ? 'none' : '';
      bar.setAttribute('aria-valuemax', String(most));
      bar.setAttribute('aria-valuenow', String(value));
      bar.setAttribute('aria-valuetext', text);
      bar.setAttribute('aria-label', s.text);
      const share = (m: Minor) => (most > 0 ? Math.min(100, (100 * m) / most) : 100);
      bar.querySelector<HTMLElement>('.fill')!.style.width = `${share(value)}%`;
      const list = this.body.querySelector('ol')!;
      list.hidden = look !== 'steps' || !!rows || !gives;
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
        tick.style.insetInlineStart = `${share(m.at)}%`;
        bar.append(tick);
      }
      this.count(s);
      this.block(s, !!rows);
      this.offers(s);
      this.act(s);
      if (!same) {
        this.watch.disconnect();
        this.watch.observe(this);
      }
    }
    /** What stands above and beside a block: the merchant's own words, and a picture. */
    private block(s: Said, is: boolean) {
      this.root.querySelectorAll('.heading, .beside').forEach((x) => x.remove());
      const place = this.getAttribute('place') ?? '';
      if (!(is || s.offer?.together || s.act || ['after_purchase', 'product_block'].includes(place)) || place === 'top_bar' || !this.body) return;
      if (s.picture) this.body.prepend(Object.assign(el('img', 'beside'), { src: s.picture, alt: s.picture_alt ?? '', width: 64, height: 64 }));
      if (s.heading) this.body.prepend(el('h2', 'heading', s.heading));
    }
    /** What it offers, below the words. */
    private offers(s: Said) {
      const old = this.root.querySelector('.offers');
      const focused = [...(old?.querySelectorAll('button, input') ?? [])].indexOf(this.root.activeElement!);
      old?.remove();
      if (!s.offer || !this.body || this.getAttribute('place') === 'top_bar') return;
      this.body.append(offered(s.offer, (a) => answer(this, s, a)));
      this.root.querySelectorAll<HTMLElement>('.offers button, .offers input')[focused]?.focus();
    }
    /** Where it leads, or the code that a press enters. */
    private act(s: Said) {
      const old = this.root.querySelector<HTMLElement>('.act');
      const focused = !!old && this.root.activeElement === old;
      old?.remove();
      if ((!s.act && !s.earn) || !this.body) return;
      const act = this.acts(s);
      this.body.querySelector('p')!.append(' ', act);
      if (focused) act.focus();
    }
    private acts(s: Said, done = () => {}) {
      if (s.earn) {
        const b: HTMLButtonElement = press(s.earn.text, 'act', async () => {
          b.disabled = true;
          const given = await earn(this, s);
          if (given) done();
          else b.replaceWith(` ${s.earn!.gone}`);
          b.disabled = false;
        });
        return b;
      }
      const { text, link, code, put } = s.act!;
      if (link) {
        const a = Object.assign(el('a', 'act', text), { href: link });
        a.addEventListener('click', () => report('clicked', s));
        return a;
      }
      if (put) {
        const b = press(text, 'act', () => {
          b.disabled = true; // once, however often it is pressed
          report('added', s);
          done();
          this.dispatchEvent(new CustomEvent('agonal:add', { bubbles: true, composed: true, detail: { items: put } }));
        });
        return b;
      }
      const codes = ((request?.cart as { codes?: string[] } | undefined)?.codes ?? []).filter((c) => c !== code);
      return press(text, 'act', () => {
        report('clicked', s);
        this.dispatchEvent(new CustomEvent('agonal:code', { bubbles: true, composed: true, detail: { codes: [...codes, code] } }));
      });
    }
    focus(how?: FocusOptions) {
      this.root.querySelector<HTMLElement>('button, input')?.focus(how);
    }
    /** Counts a show, once a page. */
    private counted(s: Said) {
      if (pageShows.has(s.nudge)) return;
      pageShows.add(s.nudge);
      visit.shows[s.nudge] = (visit.shows[s.nudge] ?? 0) + 1;
      if (live && s.remember) remember(s.nudge);
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
          if (this.hasAttribute('from')) this.hidden = true;
          else void decide();
        }
      };
      tick();
      this.ticking = window.setInterval(tick, 1000);
      this.body.querySelector('p')!.after(p);
    }
    /** A gift is to be chosen, or something is offered: asked once, and not again after it was closed. */
    private asks(s: Said) {
      const choice = decision?.cart?.choices?.find((c) => c.nudge === s.nudge && ['to_pick', 'offered'].includes(c.state));
      const key = `closed:${s.nudge}:${s.rung}`;
      this.hidden = true;
      const asks = !!s.offer || !!s.act || !!s.earn;
      if (!asks && (!choice || !['reached', 'waiting'].includes(s.state))) {
        if (decision?.cart && !choice && !s.once) visit.seen = visit.seen.filter((k) => k !== key); // newly earned, it may be offered again
        this.root.querySelector('dialog')?.remove();
        return;
      }
      if (!asks && visit.seen.includes(key)) return;
      if (pageAsked && pageAsked !== s.nudge) return; // one page asks about one thing
      // One dialog at a time: what has just opened goes first, and this one follows it.
      clearTimeout(this.ticking);
      if (!live) return this.ask(s, key, choice);
      const wait = cartComes() && !asks ? 1500 : 80;
      this.ticking = window.setTimeout(() => {
        if (!otherDialog()) this.ask(s, key, choice);
      }, wait);
    }
    private ask(s: Said, key: string, choice?: NonNullable<Cart['choices']>[0]) {
      this.hidden = false;
      const box = el('dialog', 'ask');
      let said: Answer = { act: 'decline', sku: '' };
      let picked = false;
      const asked = !!s.offer || !!s.act || !!s.earn;
      const title = asked ? s.heading : choice!.title;
      if (title) box.append(el('h2', 'heading', title));
      box.append(el('p', '', s.text));
      box.setAttribute('aria-label', title ?? s.text);
      box.lang = s.language;
      box.dir = s.rtl ? 'rtl' : '';
      if (s.offer)
        box.append(
          offered(s.offer, (a) => {
            said = a;
            box.close();
          }),
        );
      else if (asked)
        box.append(
          el(
            'p',
            'answers',
            this.acts(s, () => {
              said = { act: 'earned', sku: '' };
              box.close();
            }),
            press(s.earn?.no ?? decision?.cart?.words.close ?? '×', 'no', () => box.close()),
          ),
        );
      else this.gifts(box, s, choice!, () => (picked = true));
      box.addEventListener('close', () => {
        visit.asked = Date.now();
        if (!asked) {
          visit.seen.push(key);
          if (!picked) report('dismissed', s);
        } else if (said.act !== 'earned') answer(this, s, said);
        keepVisit();
        box.remove();
        this.hidden = true;
        document.dispatchEvent(new CustomEvent('agonal:dialog-closed'));
      });
      box.addEventListener('click', (e) => e.target === box && box.close());
      this.root.querySelector('dialog')?.remove();
      this.root.append(box);
      if (!live) return void (box.open = true); // a preview takes no focus
      box.showModal();
      pageAsked = s.nudge;
      visit.asked = Date.now();
      this.counted(s);
      showsBefore[s.nudge] = visit.shows[s.nudge];
      remembered = recall();
      keepVisit();
      this.watch.observe(this);
      shown(s, 'dialog');
    }
    private gifts(box: HTMLDialogElement, s: Said, choice: NonNullable<Cart['choices']>[0], taken: () => void) {
      const w = decision!.cart!.words;
      for (const it of choice.items ?? []) {
        const take = press(
          w.take,
          'put',
          () => {
            taken();
            report('picked', s);
            box.close();
            this.dispatchEvent(new CustomEvent('agonal:gift', { bubbles: true, composed: true, detail: { nudge: s.nudge, sku: it.sku, act: 'pick' } }));
          },
          `${w.take}: ${it.label}`,
        );
        const picture = it.picture ? [Object.assign(document.createElement('img'), { src: it.picture, alt: '', width: 64, height: 64 })] : [];
        box.append(el('div', 'offer', ...picture, el('span', 'name', it.label, it.price ? ` · ${it.price}` : ''), take));
      }
      box.append(press(w.close, '', () => box.close()));
    }
    /** A set is put together here: the words as ever, its places and goods below them. */
    private build(s: Said, anew: boolean) {
      this.body!.className = 'n plain';
      const p = this.body!.querySelector('p')!;
      const Builder = (window as unknown as { AgonalSet?: typeof SetBuilder }).AgonalSet;
      if (!Builder) {
        p.textContent = s.text;
        return fetchSet();
      }
      if (anew || !this.set) {
        this.set = new Builder(this, s, {
          live,
          ask: async (place, lines) => (request ? askFor(request, [place], lines) : undefined),
          locale: () => decision?.locale,
        });
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
        if (r.add && !r.here) act.append(puts(this, r.act, sku, r.add, this.now));
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
        p.append(h.text, puts(this, h.act, h.sku, h.add, s));
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
      if (live) lookAtLines(r);
      return decide();
    },
    /** Tells that something has just happened that nudges may wait for. */
    happened,
    /** Tells that the shopper has shared the cart for a nudge: its code is earned. */
    shared: (nudge: string) => happened('link_shared').then(() => earned(nudge, 'link_shared')),
    settled,
    render,
    visit: () => visit,
  };
  (window as unknown as { Agonal: typeof api }).Agonal = api;

  const begin = () => {
    request = json<Request>('agonal-request');
    const told = json<Decision>('agonal-decision');
    asked = placesHere();
    fetchCart();
    if (document.querySelector('agonal-nudge[place=set_builder]')) fetchSet();
    if (live && request) lookAtLines(request);
    if (told) render(told);
    const asking = !told || drawn() || first ? decide() : Promise.resolve();
    // A dialog opens a moment after the decision; who waits for it waits until it is closed.
    void asking.then(() =>
      window.setTimeout(() => {
        if ([...elements].some((e) => e.shadowRoot?.querySelector('dialog[open]')))
          document.addEventListener('agonal:dialog-closed', () => settle(), { once: true });
        else settle();
      }, 120),
    );
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
