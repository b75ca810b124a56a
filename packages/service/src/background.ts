/** Work in the background, piece by piece: whenever there may be something to do, until nothing is left. */

import type { Logger } from "pino";
import { StorageFails, type Writer } from "./storage/writer.js";

export class Background {
  private working: Promise<void> | undefined;
  private again = false;
  private closed = false;

  /**
   * @param next does one piece @returns whether there was one
   * @param failed what is logged when a piece fails
   */
  constructor(
    private readonly writer: Writer,
    private readonly log: Logger,
    private readonly failed: string,
    private readonly next: () => Promise<boolean>,
  ) {
    // While the disk takes nothing, nothing is begun.
    writer.onChange((failing) => failing === undefined && this.wake());
  }

  get isClosed(): boolean {
    return this.closed;
  }

  /** There may be something to do. */
  wake(): void {
    if (this.working) this.again = true;
    else
      this.working = this.work()
        .catch((error: unknown) => {
          if (!this.closed && !(error instanceof StorageFails)) this.log.error({ err: error }, this.failed);
        })
        .finally(() => {
          this.working = undefined;
          if (this.again && !this.closed) this.wake();
        });
  }

  /** No other piece is begun. */
  close(): void {
    this.closed = true;
  }

  private async work(): Promise<void> {
    this.again = false;
    while (!this.closed && this.writer.failing === undefined) if (!(await this.next())) return;
  }
}
