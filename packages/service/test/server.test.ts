/** The server behind the app: what it makes of each request. */

import { once } from "node:events";
import type { AddressInfo } from "node:net";
import { setFlagsFromString } from "node:v8";
import express, { type Request, type Response } from "express";
import { expect, test } from "vitest";
import { serverOf } from "../src/http/server.js";

setFlagsFromString("--allow-natives-syntax");
/** Whether the host keeps two objects in the same shape, so that what is done with one is quick with the other. */
const sameShape = new Function("a", "b", "return %HaveSameMap(a, b)") as (a: object, b: object) => boolean;

test("all requests have one shape, and all answers another", async () => {
  const app = express();
  const requests: Request[] = [];
  const answers: Response[] = [];
  app.get("/:id", (request, response) => {
    requests.push(request);
    answers.push(response);
    response.json({ id: request.params.id });
  });
  const server = serverOf(app).listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as AddressInfo;
  for (let i = 0; i < 6; i++) {
    const answer = await fetch(`http://127.0.0.1:${port}/${i}`);
    expect(await answer.json()).toEqual({ id: `${i}` });
  }
  server.close();
  await once(server, "close");
  for (const all of [requests, answers]) {
    const [, , before, , , last] = all;
    expect(sameShape(before as object, last as object)).toBe(true);
  }
});
