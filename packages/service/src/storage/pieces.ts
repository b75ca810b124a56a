/**
 * Texts of many megabytes, kept in pieces: each is written and read on its own, so that no text is ever held whole
 * beside the matches, and none keeps them waiting.
 */

import type { Store } from "./store.js";
import type { Writer } from "./writer.js";

/** The size of a piece, in bytes. */
const PIECE = 256 * 1_024;

/** Bytes as they come. */
export type Bytes = AsyncIterable<Uint8Array> | Iterable<Uint8Array>;

interface Piece {
  readonly of: string;
  readonly piece: number;
  readonly bytes: Uint8Array;
}

export class Pieces {
  private readonly insert;
  private readonly select;
  private readonly remove;

  constructor(
    store: Store,
    private readonly writer: Writer,
  ) {
    this.insert = store.prepare<Piece>((db, value) =>
      db.insertInto("pieces").values({ of: value("of"), piece: value("piece"), bytes: value("bytes") }),
    );
    this.select = store.prepare<Omit<Piece, "bytes">, { bytes: Uint8Array }>((db, value) =>
      db.selectFrom("pieces").select("bytes").where("of", "=", value("of")).where("piece", "=", value("piece")),
    );
    this.remove = store.prepare<Pick<Piece, "of">>((db, value) =>
      db.deleteFrom("pieces").where("of", "=", value("of")),
    );
  }

  /** Keeps bytes as they come. What breaks off is kept up to there: `drop` lets go of it. */
  async keep(of: string, bytes: Bytes): Promise<void> {
    let piece = 0;
    let waiting: Uint8Array[] = [];
    let size = 0;
    const write = async (): Promise<void> => {
      const row: Piece = { of, piece: piece++, bytes: Buffer.concat(waiting) };
      waiting = [];
      size = 0;
      await this.writer.write(() => void this.insert.run(row));
    };
    for await (const some of bytes) {
      waiting.push(some);
      size += some.length;
      if (size >= PIECE) await write();
    }
    if (size > 0) await write();
  }

  drop(of: string): Promise<void> {
    return this.writer.write(() => void this.remove.run({ of }));
  }

  /** The bytes of a text, piece by piece; others get their turn between two. */
  async *read(of: string): AsyncGenerator<Uint8Array> {
    for (let piece = 0; ; piece++) {
      const row = this.select.first({ of, piece });
      if (!row) return;
      yield row.bytes;
      await new Promise((resolve) => setImmediate(resolve));
    }
  }
}
