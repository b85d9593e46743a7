// A sale's begin and end are moved on the price's line, by hand or by keys: the form that
// plans it is filled in and sent again.
export function priceLine() {
  const form = document.getElementById('sale-plan') as HTMLFormElement | null;
  const line = document.getElementById('price-line');
  if (!form || !line) return;
  line.querySelector('select')?.addEventListener('change', () => form.requestSubmit());
  const svg = line.querySelector('svg')!;
  const number = (name: string) => Number(svg.dataset[name]);
  const pad = (n: number) => String(n).padStart(2, '0');
  const moved = (flag: SVGGElement, days: number) => {
    const field = form.elements.namedItem(flag.dataset.field!) as HTMLInputElement;
    const [date, time] = (flag.dataset.at ?? '').split('T');
    const [y, m, d] = date.split('-').map(Number);
    const to = new Date(Date.UTC(y, m - 1, d + days));
    field.value = `${to.getUTCFullYear()}-${pad(to.getUTCMonth() + 1)}-${pad(to.getUTCDate())}T${time}`;
    sessionStorage.setItem('agonal-sale-flag', flag.dataset.field!);
    form.requestSubmit();
  };
  const held = sessionStorage.getItem('agonal-sale-flag');
  sessionStorage.removeItem('agonal-sale-flag');
  if (held) svg.querySelector<SVGGElement>(`[data-field=${held}]`)?.focus({ preventScroll: true });
  if (held) line.scrollIntoView({ block: 'nearest' });
  svg.addEventListener('keydown', (e) => {
    const flag = (e.target as Element).closest<SVGGElement>('.sale-flag');
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 7, PageDown: -7 }[e.key];
    if (!flag || !by) return;
    e.preventDefault();
    moved(flag, by);
  });
  svg.addEventListener('pointerdown', (e) => {
    const flag = (e.target as Element).closest<SVGGElement>('.sale-flag');
    if (!flag) return;
    e.preventDefault();
    const perDay = (86400 * (number('right') - number('left'))) / (number('last') - number('first'));
    let days = 0;
    const move = (ev: PointerEvent) => {
      const rect = svg.getBoundingClientRect();
      days = Math.round((((ev.clientX - rect.left) * number('wide')) / rect.width - Number(flag.dataset.x)) / perDay);
      flag.setAttribute('transform', `translate(${days * perDay} 0)`);
    };
    const stop = (ev: PointerEvent) => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', stop);
      removeEventListener('pointercancel', stop);
      if (ev.type === 'pointerup' && days) moved(flag, days);
      else flag.removeAttribute('transform');
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', stop);
    addEventListener('pointercancel', stop);
  });
}
