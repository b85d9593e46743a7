// The merchant's order: rows are dragged by their number, or moved with the
// arrow keys while it has the focus.
import Sortable from 'sortablejs';

export function board() {
  const list = document.getElementById('board-list');
  if (!list) return;
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
  const save = async (moved: HTMLElement) => {
    number();
    const body = new URLSearchParams();
    rows().forEach((r) => body.append('id', r.dataset.nudge!));
    body.set('csrf', list.dataset.csrf!);
    try {
      const r = await fetch(list.dataset.order!, { method: 'POST', body });
      if (!r.ok) throw new Error(String(r.status));
      say(`${moved.dataset.name} is now number ${rows().indexOf(moved) + 1}.`);
    } catch {
      say('The order could not be saved. Load the page again.');
    }
  };
  if (!list.dataset.order) return;
  Sortable.create(list, {
    handle: '.handle',
    animation: 150,
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
    if (!other) return;
    if (e.key === 'ArrowUp') other.before(row);
    else other.after(row);
    h.focus();
    void save(row);
  });
}
