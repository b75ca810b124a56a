/** Brings a row of a scrolling list into sight. */

/**
 * Only the list around it is scrolled. Unlike the browser's own way, the keyboard's place in the page stays where it is:
 * a page that was just opened is gone through from its beginning.
 */
export function reveal(row: HTMLElement | null): void {
  const list = row?.closest<HTMLElement>(".overflow-auto");
  if (!row || !list) return;
  const [inner, outer] = [row.getBoundingClientRect(), list.getBoundingClientRect()];
  if (inner.top < outer.top) list.scrollTop -= outer.top - inner.top;
  else if (inner.bottom > outer.bottom) list.scrollTop += inner.bottom - outer.bottom;
}
