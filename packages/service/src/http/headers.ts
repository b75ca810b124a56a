/**
 * Headers of every answer under `/api`: nothing in it is run or framed, nor taken for another type than it says. They
 * are the same each time, so they are set at once; pages get those of helmet.
 */

import type { Response } from "express";

const HEADERS: readonly (readonly [string, string])[] = [
  ["Content-Security-Policy", "default-src 'none';frame-ancestors 'none'"],
  ["Cross-Origin-Resource-Policy", "same-origin"],
  ["Referrer-Policy", "no-referrer"],
  ["Strict-Transport-Security", "max-age=31536000; includeSubDomains"],
  ["X-Content-Type-Options", "nosniff"],
];

export function setPlainHeaders(response: Response): void {
  for (const [name, value] of HEADERS) response.setHeader(name, value);
}
