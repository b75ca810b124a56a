/** Machines to begin with: one for each common turn order. They are fetched when somebody looks at them. */

/** What is told of a template before it is opened. */
export interface Template {
  /** In the address of a new machine. */
  readonly name: string;
  readonly words: string;
}

export const TEMPLATES: readonly Template[] = [
  { name: "alternating", words: "Two seats take turns." },
  { name: "round-robin", words: "Two to six seats in a circle; who is out is skipped." },
  { name: "initiative", words: "Each round the quickest acts first: a stat plus a roll." },
  { name: "secretly-at-once", words: "Everybody chooses unseen; all is resolved together." },
  { name: "gauges", words: "Gauges fill with time; whose is full may act." },
  { name: "phases", words: "A turn of phases, in which one can go back." },
];

const TEXTS = import.meta.glob<string>("./templates/*.zany", { query: "?raw", import: "default" });

/** The text of a template; undefined when there is none of this name. */
export async function templateText(name: string): Promise<string | undefined> {
  const path = Object.keys(TEXTS).find((file) => file.endsWith(`-${name}.zany`));
  return path === undefined ? undefined : TEXTS[path]?.();
}

/** Under this name a file that was dropped waits for the page of a new machine. */
const DRAFT = "zany.draft";

/** Keeps a text for the page of a new machine. */
export function keepDraft(text: string): void {
  sessionStorage.setItem(DRAFT, text);
}

/** The text that was kept, if any; it is given once. */
export function takeDraft(): string | undefined {
  const text = sessionStorage.getItem(DRAFT);
  sessionStorage.removeItem(DRAFT);
  return text ?? undefined;
}
