/**
 * SHA-256 (FIPS 180-4), synchronous and the same in Node and browsers. A host that has one of its own, as Node does,
 * digests with that: it is several times as fast.
 */

import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";

/** A digest in the making. Texts count by their UTF-8 bytes; what is none, half a surrogate pair, as U+FFFD. */
export interface Hash {
  update(text: string, encoding: "utf8"): Hash;
  /** As it stands: the other goes on by itself. */
  copy(): Hash;
  /** Ends it. */
  digest(): Uint8Array;
}

/** The digest of a package, for hosts that have none. */
export class PackageHash implements Hash {
  private hash = sha256.create();

  update(text: string): Hash {
    this.hash.update(utf8ToBytes(text));
    return this;
  }

  copy(): Hash {
    const other = new PackageHash();
    other.hash = this.hash.clone();
    return other;
  }

  digest(): Uint8Array {
    return this.hash.digest();
  }
}

/** What of Node is asked for, where there is a Node. */
interface Host {
  readonly process?: { getBuiltinModule?(name: "node:crypto"): HostCrypto | undefined };
}

interface HostCrypto {
  createHash(algorithm: "sha256"): Hash;
  /** The digest of a text in one go; later than the other. */
  hash?(algorithm: "sha256", text: string, encoding: "hex"): string;
}

let known: HostCrypto | null | undefined;
/** Loading it takes a while, and not everybody asks for a digest. */
const crypto = (): HostCrypto | null =>
  known === undefined ? (known = (globalThis as Host).process?.getBuiltinModule?.("node:crypto") ?? null) : known;
const newHash = (): Hash => crypto()?.createHash("sha256") ?? new PackageHash();

/** The digest of a text's UTF-8 bytes, in lower-case hexadecimal. */
export function sha256Hex(text: string): string {
  return crypto()?.hash?.("sha256", text, "hex") ?? bytesToHex(sha256Bytes(text));
}

/** The digest of a text's UTF-8 bytes. */
export function sha256Bytes(text: string): Uint8Array {
  return newHash().update(text, "utf8").digest();
}

/** How many characters a running digest gathers before it looks at them: many short pieces cost no more than one. */
const GATHERED = 65_536;

/** A digest that is fed piece by piece, for files that are streamed. */
export class RunningDigest {
  private pieces: string[] = [];
  private length = 0;
  private hash: Hash | undefined;

  /** @param create begins the digest of what is too long to be gathered */
  constructor(private readonly create: () => Hash = newHash) {}

  add(text: string): void {
    this.pieces.push(text);
    this.length += text.length;
    if (this.length >= GATHERED) this.flush();
  }

  /** The digest of everything added so far; more can be added afterwards. */
  hex(): string {
    if (!this.hash && this.create === newHash) return sha256Hex(this.pieces.join(""));
    return bytesToHex(this.flush().copy().digest());
  }

  private flush(): Hash {
    this.hash = (this.hash ?? this.create()).update(this.pieces.join(""), "utf8");
    this.pieces = [];
    this.length = 0;
    return this.hash;
  }
}
