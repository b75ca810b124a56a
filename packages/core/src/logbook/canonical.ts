/** Canonical JSON (RFC 8785): one text for one value, so that digests can be compared. */

/**
 * The canonical text of a JSON value: members sorted by their names' UTF-16 units, no spaces, numbers
 * as ECMAScript writes them. Members that are undefined are left out.
 */
export function canonicalJson(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(",")}]`;
  if (value === null || typeof value !== "object") return JSON.stringify(value);
  const object = value as Record<string, unknown>;
  const members: string[] = [];
  for (const key of Object.keys(object).sort()) {
    if (object[key] !== undefined) members.push(`${JSON.stringify(key)}:${canonicalJson(object[key])}`);
  }
  return `{${members.join(",")}}`;
}
