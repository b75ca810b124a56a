/** Names that nobody else has. */

/** 16 letters and digits. */
export function newName(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(8)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}
