/** Canonical JSON (RFC 8785): one text for one value, so that digests can be compared. */

/**
 * The canonical text of a JSON value: members sorted by their names' UTF-16 units, no spaces, numbers
 * as ECMAScript writes them. Members that are undefined are left out.
 */
export function canonicalJson(value: unknown): string {
  if (Number.isSafeInteger(value)) return `${value}`;
  if (value === null || typeof value !== "object") return JSON.stringify(value);
  let text = "";
  if (Array.isArray(value)) {
    for (const part of value) text += `${text === "" ? "" : ","}${canonicalJson(part)}`;
    return `[${text}]`;
  }
  const object = value as Record<string, unknown>;
  for (const key of sorted(Object.keys(object))) {
    if (object[key] === undefined) continue;
    const name = PLAIN.test(key) ? `"${key}"` : JSON.stringify(key);
    text += `${text === "" ? "" : ","}${name}:${canonicalJson(object[key])}`;
  }
  return `{${text}}`;
}

/** A name that is written as it is. */
const PLAIN = /^[\w ]*$/;

/** Names in order; most are already. */
function sorted(names: string[]): string[] {
  for (let i = 1; i < names.length; i++) if ((names[i - 1] as string) > (names[i] as string)) return names.sort();
  return names;
}
