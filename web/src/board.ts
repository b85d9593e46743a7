// The merchant's order: rows are dragged by their number, or moved with the
// arrow keys while it has the focus. An order that was not kept is put back.
import Sortable from 'sortablejs';

export function board(shout: (text: string) => void) {
  const list = document.getElementById('board-list');
  if (!list?.dataset.order) return;
  const say = (t: string) => {
    const el = document.getElementById('board-say');
    if (el) el.textContent = t;
  };
  const rows = () => [...list.querySelectorAll<HTMLElement>('[data-nudge]')];
  const number = () =>
    rows().forEach((r, i) => {
      const h = r.querySelector<HTMLElement>('.handle');
      if (!h) return;
      h.textContent = String(i + 1);
      h.setAttribute('aria-label', `Place ${i + 1}: ${r.dataset.name}. Move with the arrow keys`);
    });
  let kept = rows();
  const save = async (moved: HTMLElement) => {
    number();
    const now = rows();
    const body = new URLSearchParams();
    now.forEach((r) => body.append('id', r.dataset.nudge!));
    body.set('csrf', list.dataset.csrf!);
    let status = 0;
    try {
      const r = await fetch(list.dataset.order!, { method: 'POST', body, headers: { 'X-CSRF-Token': list.dataset.csrf! } });
      status = r.status;
      if (r.status === 204) {
        kept = now;
        say(`${moved.dataset.name} is now number ${now.indexOf(moved) + 1}.`);
        return;
      }
    } catch {
      /* said below */
    }
    const focused = document.activeElement as HTMLElement | null;
    kept.forEach((r) => list.append(r));
    number();
    focused?.focus();
    say('The order was not kept.');
    if (status) document.dispatchEvent(new CustomEvent('agonal:refused', { detail: status }));
    else shout('Agonal does not answer. The order is as it was; try again.');
  };
  Sortable.create(list, {
    handle: '.handle',
    animation: matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 150,
    onEnd: (e) => {
      if (e.oldIndex !== e.newIndex) void save(e.item);
    },
  });
  list.addEventListener('keydown', (e) => {
    const h = (e.target as HTMLElement).closest<HTMLElement>('.handle');
    if (!h || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return;
    e.preventDefault();
    const row = h.closest<HTMLElement>('[data-nudge]')!;
    const other = e.key === 'ArrowUp' ? row.previousElementSibling : row.nextElementSibling;
    if (!other) return say(e.key === 'ArrowUp' ? 'It is the first already.' : 'It is the last already.');
    if (e.key === 'ArrowUp') other.before(row);
    else other.after(row);
    h.focus();
    void save(row);
  });
}
