/** SHA-256 (FIPS 180-4), synchronous and the same in Node and browsers. */

import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";

/** The digest of a text's UTF-8 bytes, in lower-case hexadecimal. */
export function sha256Hex(text: string): string {
  return bytesToHex(sha256(utf8ToBytes(text)));
}

/** The digest of a text's UTF-8 bytes. */
export function sha256Bytes(text: string): Uint8Array {
  return sha256(utf8ToBytes(text));
}

/** How many characters a running digest gathers before it looks at them: many short pieces cost no more than one. */
const GATHERED = 65_536;

/** A digest that is fed piece by piece, for files that are streamed. */
export class RunningDigest {
  private readonly hash = sha256.create();
  private pieces: string[] = [];
  private length = 0;

  add(text: string): void {
    this.pieces.push(text);
    this.length += text.length;
    if (this.length >= GATHERED) this.flush();
  }

  /** The digest of everything added so far; more can be added afterwards. */
  hex(): string {
    this.flush();
    return bytesToHex(this.hash.clone().digest());
  }

  private flush(): void {
    this.hash.update(utf8ToBytes(this.pieces.join("")));
    this.pieces = [];
    this.length = 0;
  }
}
