/** What a service says when it refuses a request. */

/** A request that the service refused: an RFC 9457 problem, or no answer at all (`status` 0). */
export class ServiceProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    words: string,
    /** The whole problem document. */
    readonly document: Readonly<Record<string, unknown>> = {},
    /** When to ask again, in milliseconds from now, where the service says so. */
    readonly retryAfter?: number,
  ) {
    super(words);
  }
}

/** The problem a response tells of. */
export async function problemOf(response: Response): Promise<ServiceProblem> {
  const seconds = Number(response.headers.get("Retry-After") ?? Number.NaN);
  const retryAfter = Number.isFinite(seconds) ? seconds * 1000 : undefined;
  try {
    const document = (await response.json()) as Record<string, unknown>;
    return new ServiceProblem(
      response.status,
      String(document["code"] ?? "unknown"),
      String(document["detail"] ?? response.statusText),
      document,
      retryAfter,
    );
  } catch {
    return new ServiceProblem(
      response.status,
      "unknown",
      `The service answered ${response.status} ${response.statusText}.`,
      {},
      retryAfter,
    );
  }
}
