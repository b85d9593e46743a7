// The workbench: the cart beside the preview, and the marker on the money axis.
// Every state is decided by the server; here positions are only drawn.
import type { Picked } from './picker';

interface Line {
  sku: string;
  quantity: number;
  origin?: { kind: 'offer'; nudge: string; instead?: string };
}
interface Frame {
  decision: unknown;
  cart: string;
  lines: string;
  product: string;
  counted: number;
  at: number;
  lasting: number | null;
  lastingText: string;
  most: number;
  marker: string;
  axis?: string;
  table?: string;
  head?: string;
  say: string;
  when?: Record<string, string>;
  put?: Line[];
  item?: string;
}

const marks: Record<string, string> = { true: '●', false: '○', 'not known': '◌' };

// Another kind of reward has other fields; another condition comes from the server.
const kindChosen = (form: HTMLFormElement, kind: string) => {
  const apart = form.querySelectorAll<HTMLElement>('[data-for]');
  if (!apart.length && form.querySelectorAll('.control').length > 1) form.requestSubmit();
  for (const control of apart) {
    control.hidden = !control.dataset.for!.split(' ').includes(kind);
    if (!(control instanceof HTMLOptionElement)) continue;
    control.disabled = control.hidden;
    if (control.hidden && control.selected) control.closest('select')!.selectedIndex = 0;
  }
  for (const more of form.querySelectorAll<HTMLElement>('.more-fields')) more.hidden = !more.querySelector('.control:not([hidden])');
};

export function bench(say: (text: string) => void) {
  const root = document.getElementById('bench');
  if (!root) return;
  const cartBox = document.getElementById('bench-cart')!;
  const frame = document.getElementById('preview') as HTMLIFrameElement;
  const store = `agonal-bench-${root.dataset.nudge}`;
  const view = () => document.getElementById('bench-view') as HTMLFormElement;
  const pick = (name: string) => view().querySelector<HTMLSelectElement>(`[name=${name}]`)!;

  const state = () => document.getElementById('preview-state') as HTMLSelectElement;

  let lines: Line[] = JSON.parse(sessionStorage.getItem(store) ?? 'null') ?? JSON.parse(root.dataset.cart ?? '[]');
  let at: number | null = null; // where the marker stands; null: at the cart
  let station = ''; // the moment of a visit that is looked at; empty: where the nudge stands
  let last: Frame | null = null;
  let busy = false;
  let again = false;
  let asked = ''; // the product that the preview was made to show
  const frames: number[] = [];

  const svg = () => document.querySelector<SVGSVGElement>('#bench-axis svg');
  const number = (name: string) => Number(svg()?.dataset[name] ?? 0);
  const box = () => ({
    wide: Math.round(document.getElementById('axis-draw')?.clientWidth ?? 0),
    scale: Math.round((100 * parseFloat(getComputedStyle(document.documentElement).fontSize)) / 16),
  });
  const body = () => ({
    lines,
    at,
    region: pick('region').value,
    page: pick('page').value,
    language: pick('language').value,
    state: state().value,
    station,
    as: (document.getElementById('preview-as') as HTMLSelectElement).value,
    shopper: (document.getElementById('beside-shopper') as HTMLSelectElement).value,
    most: number('most'),
    ...box(),
    drawn: { wide: number('wide'), scale: number('scale') },
  });

  // One request at a time; what changes meanwhile is asked for right after.
  const ask = async () => {
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    do {
      again = false;
      try {
        const r = await fetch(root.dataset.frame!, {
          method: 'POST',
          headers: { 'Content-Type': 'application/json', 'X-CSRF-Token': root.dataset.csrf! },
          body: JSON.stringify(body()),
        });
        if (r.ok) draw((await r.json()) as Frame);
        else if (r.status === 422) say(((await r.json()) as { error: string }).error);
        else document.dispatchEvent(new CustomEvent('agonal:refused', { detail: r.status }));
      } catch {
        say('Agonal does not answer; the preview shows what it last knew.');
      }
    } while (again);
    busy = false;
  };

  const draw = (f: Frame) => {
    last = f;
    if (f.put && at !== null) {
      lines = f.put; // what is counted in pieces is moved by whole pieces
      at = null;
      sessionStorage.setItem(store, JSON.stringify(lines));
    }
    frames.push(performance.now());
    if (frames.length > 600) frames.splice(0, 300);
    cartBox.innerHTML = f.cart;
    const shows = frame.contentDocument?.body?.dataset.product;
    if (f.product && shows && shows !== f.product && asked !== f.product) {
      asked = f.product; // what counts is another product now: it is shown
      const u = new URL(frame.src);
      u.searchParams.set('page', pick('page').value);
      u.searchParams.set('region', pick('region').value);
      frame.src = u.toString();
    }
    frame.contentWindow?.postMessage({ decision: f.decision, lines: f.lines, page: pick('page').value }, location.origin);
    const told = document.getElementById('preview-say')!;
    if (told.textContent !== f.say) told.textContent = f.say;
    if (f.axis) {
      const focused = document.activeElement?.id === 'marker';
      document.getElementById('axis-draw')!.innerHTML = f.axis;
      if (focused) document.getElementById('marker')?.focus({ preventScroll: true });
    }
    if (f.table) document.getElementById('axis-table')!.innerHTML = f.table;
    if (f.head) document.getElementById('axis-about')!.textContent = f.head;
    for (const row of document.querySelectorAll<HTMLElement>('.condition')) {
      const truth = row.querySelector<HTMLElement>('.truth')!;
      const is = f.when?.[row.dataset.path!] ?? '';
      truth.dataset.truth = is;
      truth.textContent = is && `${marks[is]} ${is}`;
    }
    axis(f);
    still();
  };
  (window as unknown as { agonalFrames: number[] }).agonalFrames = frames;

  // An axis that would take a large part of a small window stays in its place.
  const still = () => {
    const el = document.getElementById('bench-axis');
    el?.classList.toggle('still', el.offsetHeight > innerHeight * 0.34);
  };

  const x = (m: number, most: number) => number('left') + ((number('right') - number('left')) * Math.min(m, most)) / most;

  const axisAt = (m: number) => x(m, last?.most ?? 1);

  const axis = (f: Frame) => {
    const s = svg();
    if (!s || !f.most) return;
    const set = (id: string, a: Record<string, string | number>) => {
      const el = s.querySelector(`#${id}`);
      if (el) for (const [k, v] of Object.entries(a)) el.setAttribute(k, String(v));
    };
    const left = number('left');
    const right = number('right');
    const here = x(f.at, f.most);
    set('axis-have', { x: left, width: Math.max(0, here - left) });
    const to = f.lasting === null ? here : x(f.at + f.lasting, f.most);
    set('axis-missing', { x: here, width: Math.max(0, to - here) });
    const label = s.querySelector<SVGTextElement>('#axis-missing-text');
    if (label) {
      label.textContent = f.lasting ? f.lastingText : '';
      const half = label.getComputedTextLength() / 2;
      label.setAttribute('x', String(Math.max(left + half, Math.min(right - half, (here + to) / 2))));
    }
    const m = s.querySelector<SVGGElement>('#marker');
    if (!m) return;
    m.setAttribute('transform', `translate(${here} ${number('base')})`);
    m.setAttribute('aria-valuenow', String(f.at));
    m.setAttribute('aria-valuemax', String(f.most));
    m.setAttribute('aria-valuetext', f.marker);
    const t = m.querySelector('text');
    if (t) t.textContent = f.marker;
    const w = (t?.getComputedTextLength() ?? 80) + 18;
    const shift = Math.max(left - here, Math.min(-w / 2, right - here - w + 12));
    m.querySelector('.marker-label')?.setAttribute('width', String(w));
    m.querySelector('.marker-label')?.setAttribute('x', String(shift));
    t?.setAttribute('x', String(shift + w / 2));
    const cart = x(f.counted, f.most);
    set('axis-cart', { x1: cart, x2: cart, visibility: f.at === f.counted ? 'hidden' : 'visible' });
  };

  /** Follows a pointer over the drawing until it is let go. */
  const follow = (e: PointerEvent, move: (x: number) => void, done?: () => void) => {
    const s = svg()!;
    e.preventDefault();
    const at = (ev: PointerEvent) => {
      const rect = (svg() ?? s).getBoundingClientRect();
      move(((ev.clientX - rect.left) * number('wide')) / rect.width);
    };
    at(e);
    const stop = (ev: PointerEvent) => {
      removeEventListener('pointermove', at);
      removeEventListener('pointerup', stop);
      removeEventListener('pointercancel', stop);
      if (ev.type === 'pointerup') done?.();
    };
    addEventListener('pointermove', at);
    addEventListener('pointerup', stop);
    addEventListener('pointercancel', stop);
  };
  const money = (x: number) => {
    const share = (x - number('left')) / (number('right') - number('left'));
    return Math.round(Math.max(0, Math.min(1, share)) * (last?.most ?? 1));
  };
  // A step's line stands before it, a place's behind it.
  const behind = () => svg()?.dataset.places !== undefined;
  const pieces = () => number(behind() ? 'places' : 'pieces');
  const step = (x: number) => {
    const n = ((x - number('left')) * pieces()) / (number('right') - number('left'));
    return Math.max(1, Math.min(pieces(), behind() ? Math.round(n) : 1 + Math.floor(n)));
  };

  /** So many pieces of the item that the drawing is about. */
  const setPieces = (n: number, sku = svg()!.dataset.sku!) => {
    if (lines.some((l) => (l.sku === sku ? l.quantity === n : false))) return;
    if (!lines.some((l) => l.sku === sku)) lines = [...lines, { sku, quantity: n }];
    lines = lines.map((l) => (l.sku === sku ? { ...l, quantity: n } : l)).filter((l) => l.quantity > 0);
    changed();
  };

  /** A rung is moved by its own panel, so that what is refused there is refused here. */
  const moveRung = (rung: string, field: string, value: string) => {
    const form = document.querySelector<HTMLFormElement>(`#part-goal-${rung} .panel-form`);
    const input = form?.elements.namedItem(`ladder.rungs[${rung}].${field}`);
    if (!form || !(input instanceof HTMLInputElement) || input.value === value) return void ask();
    input.value = value;
    form.requestSubmit();
  };

  /** The nudge is moved to another moment by its own form. */
  const moveStand = (to: SVGGElement | undefined) => {
    const form = document.querySelector<HTMLFormElement>('#moment-form');
    if (!form || !to) return void ask();
    (form.elements.namedItem('station') as HTMLInputElement).value = to.dataset.station!;
    (form.elements.namedItem('page') as HTMLInputElement).value = to.dataset.page!;
    form.requestSubmit();
  };
  const allStations = () => [...svg()!.querySelectorAll<SVGGElement>('[data-station]')];
  /** Looks at the shop at a moment of a visit. */
  const lookAt = (at: SVGGElement) => {
    station = at.dataset.station!;
    pick('page').value = at.dataset.page!;
    remember();
    void ask();
  };
  const onVisit = (e: PointerEvent, s: SVGSVGElement, on: Element) => {
    const here = on.closest<SVGGElement>('[data-station]');
    const stand = on.closest<SVGGElement>('#marker');
    if (here && !stand) return lookAt(here);
    if (!stand) return;
    stand.focus({ preventScroll: true });
    const all = allStations();
    const own = all[Number(s.dataset.visit)];
    let to = own;
    follow(
      e,
      (x) => {
        to = all.reduce((best, a) => (Math.abs(Number(a.dataset.x) - x) < Math.abs(Number(best.dataset.x) - x) ? a : best), own);
        stand.setAttribute('transform', `translate(${Number(to.dataset.x) - Number(own.dataset.x)} 0)`);
      },
      () => {
        stand.removeAttribute('transform');
        if (to !== own) moveStand(to);
      },
    );
  };

  document.addEventListener('pointerdown', (e) => {
    const s = svg();
    const on = e.target as Element;
    if (!s || !on.closest?.('#axis-draw')) return;
    if (s.dataset.visit !== undefined) return onVisit(e, s, on);
    const held = on.closest<SVGGElement>('[data-rung]');
    const rung = held?.dataset.rung;
    if (held && rung !== undefined) {
      let to = '';
      const counted = s.dataset.pieces !== undefined || behind();
      follow(
        e,
        (x) => {
          const n = counted ? step(x) : Math.max(1, Math.round(money(x) / number('step')));
          to = String(counted ? n : (n * number('step')) / number('whole'));
          const here = counted ? number('left') + ((behind() ? n : n - 1) * (number('right') - number('left'))) / pieces() : axisAt(n * number('step'));
          held.setAttribute('transform', `translate(${here - Number(held.dataset.x)} 0)`);
        },
        () => {
          if (to === held.dataset.at) return held.removeAttribute('transform');
          moveRung(rung, counted || s.dataset.counts !== undefined ? 'count' : `thresholds.${pick('region').value}`, to);
        },
      );
      return;
    }
    const place = on.closest<SVGGElement>('.place')?.dataset;
    if (place) {
      document.getElementById('marker')?.focus({ preventScroll: true });
      if (place.take) put(place.take, -1);
      else if (place.put) put(place.put, 1);
      return;
    }
    if (s.dataset.pieces !== undefined) {
      if (!on.closest('.step, .steps-marker')) return;
      document.getElementById('marker')?.focus({ preventScroll: true });
      return follow(e, (x) => setPieces(step(x)));
    }
    if (!on.closest('#marker, .axis-track')) return;
    document.getElementById('marker')?.focus({ preventScroll: true });
    follow(e, (at0) => {
      const m = money(at0);
      state().value = '';
      at = last && Math.abs(x(m, last.most) - x(last.counted, last.most)) < 4 ? null : m;
      void ask();
    });
  });
  document.addEventListener('keydown', (e) => {
    if (!(e.target as Element).closest?.('#marker') || !last) return;
    const by: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 };
    if (svg()?.dataset.visit !== undefined) {
      const all = allStations();
      const own = number('visit');
      const to = e.key === 'Home' ? 0 : e.key === 'End' ? all.length - 1 : own + Math.sign(by[e.key] ?? 0);
      if (to === own || !all[to]) return;
      moveStand(all[to]);
      return e.preventDefault();
    }
    if (svg()?.dataset.pieces !== undefined) {
      const have = lines.find((l) => l.sku === svg()!.dataset.sku)?.quantity ?? 0; // the drawing may lag behind
      if (e.key === 'Home') setPieces(1);
      else if (e.key === 'End') setPieces(number('pieces'));
      else if (by[e.key]) setPieces(Math.max(1, have + by[e.key]));
      else return;
      return e.preventDefault();
    }
    const places = svg()!.dataset;
    if (places.places !== undefined) {
      const sku = (by[e.key] ?? 0) > 0 ? places.put : places.take;
      if (!by[e.key]) return;
      if (sku) put(sku, by[e.key] > 0 ? 1 : -1);
      return e.preventDefault();
    }
    const item = last.item;
    if (item && by[e.key]) {
      const have = lines.find((l) => l.sku === item)?.quantity ?? 0;
      setPieces(Math.max(0, have + by[e.key]), item);
      return e.preventDefault();
    }
    state().value = '';
    const now = at ?? last.counted;
    if (e.key === 'Home') at = 0;
    else if (e.key === 'End') at = last.most;
    else if (e.key === 'Escape') at = null;
    else if (by[e.key]) at = Math.max(0, Math.min(last.most, now + by[e.key] * number('step')));
    else return;
    e.preventDefault();
    void ask();
  });

  const changed = () => {
    state().value = '';
    sessionStorage.setItem(store, JSON.stringify(lines));
    at = null;
    void ask();
  };
  cartBox.addEventListener('click', (e) => {
    const b = (e.target as Element).closest<HTMLButtonElement>('button[data-sku]');
    if (!b) return;
    const { sku, by } = b.dataset;
    lines = lines.map((l) => (l.sku === sku ? { ...l, quantity: Math.min(9999, l.quantity + Number(by)) } : l)).filter((l) => l.quantity > 0);
    changed();
    // The cart is drawn anew: the focus goes back to the button, or on to the search.
    new MutationObserver((_, o) => {
      o.disconnect();
      const same = cartBox.querySelector<HTMLElement>(`button[data-sku="${CSS.escape(sku!)}"][data-by="${by}"]`);
      (same ?? document.getElementById('put'))?.focus();
    }).observe(cartBox, { childList: true });
  });
  const put = (sku: string, n: number) => {
    if (!lines.some((l) => l.sku === sku)) lines = [...lines, { sku, quantity: 0 }];
    lines = lines.map((l) => (l.sku === sku ? { ...l, quantity: l.quantity + n } : l)).filter((l) => l.quantity > 0);
    changed();
  };
  /** An offer is taken, or taken out again, in the preview. */
  interface Offered {
    nudge: string;
    act: string;
    sku: string;
    instead?: string;
  }
  const answered = ({ nudge, act, sku, instead }: Offered) => {
    const much = lines.find((l) => l.sku === instead)?.quantity ?? 1;
    if (act === 'drop') lines = lines.filter((l) => l.sku !== sku || !l.origin);
    else
      lines = [...lines.filter((l) => l.sku !== instead || l.origin), { sku, quantity: much, origin: { kind: 'offer', nudge, ...(instead && { instead }) } }];
    changed();
  };
  /** What goes together is put into the preview's cart. */
  const together = ({ nudge, sku, items }: Offered & { items: string[] }) => {
    const has = lines.find((l) => l.sku === sku && !l.origin);
    if (has) has.quantity++;
    else if (sku) lines = [...lines, { sku, quantity: 1 }];
    lines = [...lines, ...items.map((s) => ({ sku: s, quantity: 1, origin: { kind: 'offer' as const, nudge } }))];
    changed();
  };
  root.addEventListener('pick', (e) => put(((e as CustomEvent).detail as Picked).value, 1));

  // How one looks at it stands in the address, and in every form that changes it.
  const remember = () => {
    const u = new URL(location.href);
    for (const name of ['page', 'width']) {
      u.searchParams.set(name, pick(name).value);
      document.querySelectorAll<HTMLInputElement>(`input[data-follows=${name}]`).forEach((i) => (i.value = pick(name).value));
    }
    history.replaceState(history.state, '', u);
  };
  root.addEventListener('change', (e) => {
    if ((e.target as Element).matches('#beside-shopper, #preview-state, #preview-as')) {
      at = null;
      void ask();
    }
    if (!(e.target as Element).matches('#bench-view select')) return;
    at = null;
    if ((e.target as HTMLSelectElement).name === 'page') {
      station = '';
      remember();
      void ask();
    }
  });
  root.addEventListener('click', (e) => {
    const b = (e.target as Element).closest<HTMLElement>('[data-width]');
    if (b) {
      view()
        .querySelectorAll('[data-width]')
        .forEach((o) => o.setAttribute('aria-pressed', String(o === b)));
      pick('width').value = b.dataset.width!;
      document.getElementById('preview-box')!.className = `preview-${b.dataset.width}`;
      remember();
    }
    const language = (e.target as Element).closest<HTMLElement>('[data-language]');
    if (language) {
      e.preventDefault();
      pick('language').value = language.dataset.language!;
      pick('language').dispatchEvent(new Event('change', { bubbles: true }));
    }
  });
  addEventListener('message', (e) => {
    if (e.origin !== location.origin) return;
    if (e.data?.ready) void ask();
    if (e.data?.offer) answered(e.data.offer as Offered);
    if (e.data?.together) together(e.data.together as Offered & { items: string[] });
    if (e.data?.earned) {
      state().value = 'reached';
      state().dispatchEvent(new Event('change', { bubbles: true }));
    }
    for (const it of (e.data?.add?.items ?? []) as Line[]) put(it.sku, it.quantity);
    if (e.data?.put) put(String(e.data.put.sku), Number(e.data.put.add));
  });
  document.addEventListener('change', (e) => {
    const kind = e.target as HTMLSelectElement;
    const form = kind.closest?.<HTMLFormElement>('.panel-form');
    if (form && kind.name.endsWith('.kind')) kindChosen(form, kind.value);
  });
  let resizing = 0;
  addEventListener('resize', () => {
    clearTimeout(resizing);
    resizing = window.setTimeout(() => void ask(), 120);
  });
  document.addEventListener('htmx:afterSettle', () => {
    at = null;
    station = '';
    void ask();
  });
  void ask();
}
