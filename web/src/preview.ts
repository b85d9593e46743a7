// The preview page inside the workbench: decisions come from the page around it
// and are drawn by the very embed that shoppers get.
addEventListener('message', (e: MessageEvent) => {
  if (e.origin !== location.origin || !e.data?.decision) return;
  const agonal = (window as unknown as { Agonal: { render(d: unknown): void } }).Agonal;
  document.getElementById('pv-lines')!.innerHTML = String(e.data.lines ?? '');
  agonal.render(e.data.decision);
  const page = String(e.data.page ?? 'product');
  document.body.dataset.page = page;
});
document.addEventListener('agonal:put', (e) => parent.postMessage({ put: (e as CustomEvent).detail }, location.origin));
document.addEventListener('click', (e) => e.composedPath().some((x) => x instanceof HTMLAnchorElement) && e.preventDefault()); // a preview leads nowhere
document.addEventListener('agonal:offer', (e) => parent.postMessage({ offer: (e as CustomEvent).detail }, location.origin));
document.addEventListener('agonal:add', (e) => parent.postMessage({ add: (e as CustomEvent).detail }, location.origin));
document.addEventListener('agonal:earned', () => parent.postMessage({ earned: true }, location.origin));
document.addEventListener('agonal:together', (e) => parent.postMessage({ together: (e as CustomEvent).detail }, location.origin));
parent.postMessage({ ready: true }, location.origin);
