// The workbench: the cart beside the preview, and the marker on the money axis.
// Every state is decided by the server; here positions are only drawn.

interface Line {
  sku: string;
  quantity: number;
}
interface Frame {
  decision: unknown;
  cart: string;
  counted: number;
  at: number;
  lasting: number | null;
  lastingText: string;
  most: number;
  marker: string;
}

export function bench() {
  const root = document.getElementById('bench');
  if (!root) return;
  const cartBox = document.getElementById('bench-cart')!;
  const frame = document.getElementById('preview') as HTMLIFrameElement;
  const store = `agonal-bench-${root.dataset.nudge}`;
  const pick = (name: string) => root.querySelector<HTMLSelectElement>(`select[name=${name}]`)!;

  let lines: Line[] = JSON.parse(sessionStorage.getItem(store) ?? 'null') ?? JSON.parse(root.dataset.cart ?? '[]');
  let at: number | null = null; // where the marker stands; null: at the cart
  let last: Frame | null = null;
  let busy = false;
  let again = false;
  const frames: number[] = [];

  const body = () => ({
    lines,
    at,
    region: pick('region').value,
    page: pick('page').value,
    language: pick('language').value,
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
        else cartBox.querySelector('.bench-error')?.replaceChildren('The preview could not be decided; load the page again.');
      } catch {
        /* the next change asks again */
      }
    } while (again);
    busy = false;
  };

  const draw = (f: Frame) => {
    last = f;
    frames.push(performance.now());
    if (frames.length > 600) frames.splice(0, 300);
    cartBox.innerHTML = f.cart;
    frame.contentWindow?.postMessage({ decision: f.decision, page: pick('page').value }, location.origin);
    axis(f);
  };
  (window as unknown as { agonalFrames: number[] }).agonalFrames = frames;

  const svg = () => document.querySelector<SVGSVGElement>('#bench-axis svg');
  const left = 46,
    right = 1234;
  const x = (m: number, most: number) => left + ((right - left) * Math.min(m, most)) / most;

  const axis = (f: Frame) => {
    const s = svg();
    if (!s) return;
    const set = (id: string, a: Record<string, string | number>) => {
      const el = s.querySelector(`#${id}`);
      if (el) for (const [k, v] of Object.entries(a)) el.setAttribute(k, String(v));
    };
    const here = x(f.at, f.most);
    set('axis-have', { x: left, width: Math.max(0, here - left) });
    const to = f.lasting === null ? here : x(f.at + f.lasting, f.most);
    set('axis-missing', { x: here, width: Math.max(0, to - here) });
    const label = s.querySelector('#axis-missing-text');
    if (label) {
      label.textContent = f.lasting ? f.lastingText : '';
      label.setAttribute('x', String((here + to) / 2));
    }
    const m = s.querySelector<SVGGElement>('#marker');
    if (!m) return;
    m.setAttribute('transform', `translate(${here} 0)`);
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
    set('axis-cart', { x1: x(f.counted, f.most), x2: x(f.counted, f.most), visibility: f.at === f.counted ? 'hidden' : 'visible' });
  };

  const money = (clientX: number) => {
    const s = svg()!;
    const box = s.getBoundingClientRect();
    const unit = ((clientX - box.left) * 1280) / box.width;
    const most = last?.most ?? 1;
    return Math.round(Math.max(0, Math.min(1, (unit - left) / (right - left))) * most);
  };
  const step = () => Number(root.dataset.step ?? 100);

  document.addEventListener('pointerdown', (e) => {
    const s = svg();
    if (!s || !(e.target as Element).closest?.('#marker, #axis-track')) return;
    e.preventDefault();
    s.setPointerCapture(e.pointerId);
    s.querySelector<SVGGElement>('#marker')?.focus();
    const move = (ev: PointerEvent) => {
      const snap = last && Math.abs(x(money(ev.clientX), last.most) - x(last.counted, last.most)) < 4;
      at = snap ? null : money(ev.clientX);
      void ask();
    };
    move(e);
    const stop = () => {
      s.removeEventListener('pointermove', move);
      s.removeEventListener('pointerup', stop);
      s.removeEventListener('pointercancel', stop);
    };
    s.addEventListener('pointermove', move);
    s.addEventListener('pointerup', stop);
    s.addEventListener('pointercancel', stop);
  });
  document.addEventListener('keydown', (e) => {
    if (!(e.target as Element).closest?.('#marker') || !last) return;
    const by: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 };
    const now = at ?? last.counted;
    if (e.key === 'Home') at = 0;
    else if (e.key === 'End') at = last.most;
    else if (e.key === 'Escape') at = null;
    else if (by[e.key]) at = Math.max(0, Math.min(last.most, now + by[e.key] * step()));
    else return;
    e.preventDefault();
    void ask();
  });

  const changed = () => {
    sessionStorage.setItem(store, JSON.stringify(lines));
    at = null;
    void ask();
  };
  cartBox.addEventListener('click', (e) => {
    const b = (e.target as Element).closest<HTMLButtonElement>('button[data-sku]');
    if (!b) return;
    const sku = b.dataset.sku!;
    const label = b.getAttribute('aria-label');
    const by = Number(b.dataset.by);
    lines = lines.map((l) => (l.sku === sku ? { ...l, quantity: l.quantity + by } : l)).filter((l) => l.quantity > 0);
    changed();
    const back = new MutationObserver(() => {
      back.disconnect();
      cartBox.querySelector<HTMLButtonElement>(`button[aria-label="${CSS.escape(label ?? '')}"]`)?.focus();
    });
    back.observe(cartBox, { childList: true });
  });
  cartBox.addEventListener('change', (e) => {
    const s = (e.target as Element).closest<HTMLSelectElement>('select[name=put]');
    if (!s?.value) return;
    const sku = s.value;
    lines = lines.some((l) => l.sku === sku) ? lines.map((l) => (l.sku === sku ? { ...l, quantity: l.quantity + 1 } : l)) : [...lines, { sku, quantity: 1 }];
    changed();
  });
  root.addEventListener('change', (e) => {
    if ((e.target as Element).matches('select[name=region], select[name=page], select[name=language]')) {
      at = null;
      if ((e.target as HTMLSelectElement).name === 'region') {
        const u = new URL(location.href);
        u.searchParams.set('region', pick('region').value);
        location.href = u.href; // amounts of the sentence and the axis are another region's
        return;
      }
      void ask();
    }
  });
  root.querySelectorAll<HTMLButtonElement>('button[data-width]').forEach((b) =>
    b.addEventListener('click', () => {
      root.querySelectorAll('button[data-width]').forEach((o) => o.setAttribute('aria-pressed', String(o === b)));
      document.getElementById('preview-box')!.className = b.dataset.width === 'phone' ? 'preview-phone' : '';
    }),
  );
  addEventListener('message', (e) => {
    if (e.origin === location.origin && e.data?.ready) void ask();
  });
  document.addEventListener('htmx:afterSettle', () => void ask());
  void ask();
}
