// Small helpers that make elements.
/** An element with a class and what lies in it. */
export const el = <K extends keyof HTMLElementTagNameMap>(tag: K, cls: string, ...kids: (Node | string)[]) => {
  const e = document.createElement(tag);
  if (cls) e.className = cls;
  e.append(...kids);
  return e;
};

/** A button that does something. */
export const press = (text: string, cls: string, act: () => void, label = '') => {
  const b = el('button', cls, text);
  b.type = 'button';
  if (label) b.setAttribute('aria-label', label);
  b.addEventListener('click', act);
  return b;
};
