// How nudges look: what is chosen is drawn at once by the very embed that shoppers get.
interface Theme {
  light: Record<string, string>;
  scheme?: string;
}
interface Sample {
  says: { rtl?: boolean }[];
  theme?: Theme;
}

export function look() {
  const frame = document.getElementById('look-frame') as HTMLIFrameElement | null;
  if (!frame) return;
  const as = document.getElementById('look-as') as HTMLSelectElement;
  const show = () => {
    const d = JSON.parse(document.getElementById('look-sample')!.textContent!) as Sample;
    const theme: Theme = d.theme ?? { light: {} };
    if (as.value === 'dark') d.theme = { ...theme, scheme: 'dark' };
    else if (as.value !== '' || theme.scheme === 'device') d.theme = { ...theme, scheme: theme.scheme === 'dark' ? 'dark' : '' };
    if (as.value === 'twice') d.theme!.light = { ...theme.light, size: `${2 * parseInt(theme.light.size ?? '14')}px` };
    if (as.value === 'rtl') for (const s of d.says) s.rtl = true;
    frame.contentWindow?.postMessage({ decision: d, lines: '', page: 'product' }, location.origin);
  };
  addEventListener('message', (e) => e.origin === location.origin && e.data?.ready && show());
  as.addEventListener('change', show);
  // A colour that is dragged about is written beside its field, and sent once it is let go.
  for (const kind of ['input', 'change'])
    document.addEventListener(
      kind,
      (e) => {
        const picker = e.target as HTMLInputElement;
        if (!picker.matches?.('[data-colour]')) return;
        (picker.form!.elements.namedItem(picker.dataset.colour!) as HTMLInputElement).value = picker.value;
        if (kind === 'input') e.stopPropagation();
      },
      true,
    );
  document.addEventListener('htmx:afterSettle', () => {
    document.getElementById('look-form')?.setAttribute('data-unsaved', ''); // it was only looked at
    show();
  });
}
