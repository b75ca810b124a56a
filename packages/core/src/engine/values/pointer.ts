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
  let pointer = "";
  // Names, which most parts are, need no escape.
  for (const part of parts)
    pointer +=
      part.includes("~") || part.includes("/") ? `/${part.replaceAll("~", "~0").replaceAll("/", "~1")}` : `/${part}`;
  return pointer;
}
