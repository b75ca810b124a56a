/** JSON Pointers (RFC 6901): paths into a situation. */

/** The parts of a pointer, unescaped. */
export function pointerParts(pointer: string): string[] {
  if (pointer === "") return [];
  return pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** A pointer from its parts. */
export function pointerOf(parts: readonly string[]): string {
  return parts.reduce(under, "");
}

/** The pointer to a member, or to an element by its number, of what a pointer leads to. */
export function under(pointer: string, part: string): string {
  // Names, which most parts are, need no escape.
  const escaped = part.includes("~") || part.includes("/") ? part.replaceAll("~", "~0").replaceAll("/", "~1") : part;
  return `${pointer}/${escaped}`;
}
