/** People over HTTP: who they are, their keys, their matches, and what they are told. */

import type { AddedKey, AddedPerson, Me, PersonInfo } from "@zany/client/api";
import { Router } from "express";
import { linkNext } from "../http/pages.js";
import { Problem } from "../problems.js";
import { newKey } from "../secrets.js";
import type { Writer } from "../storage/writer.js";
import * as body from "../validation.js";
import type { Callers } from "./callers.js";
import { idOf, type Keys } from "./keys.js";
import type { MyMatches } from "./my-matches.js";
import type { Notices } from "./notices.js";
import { streamNotices } from "./notice-stream.js";
import type { People, Person } from "./people.js";

export interface PeopleDoors {
  readonly callers: Callers;
  readonly people: People;
  readonly keys: Keys;
  readonly notices: Notices;
  readonly mine: MyMatches;
  readonly writer: Writer;
}

export function peopleRoutes({ callers, people }: PeopleDoors): Router {
  const router = Router();

  // The admin makes people and hosts; where guests are welcome, and on loopback, anybody makes themselves.
  router.post("/", async (request, response) => {
    const { name, handle, device = "", host } = body.valid(body.newPerson, request.body);
    const caller = await callers.of(request);
    const { open, guests } = callers.doors;
    if (caller.kind !== "admin" && (host || !(open || guests))) await callers.admin(request);
    const kind = host ? "host" : caller.kind === "admin" || open ? "person" : "guest";
    const { person, key } = await people.add(kind, name, handle, device);
    const added: AddedPerson = { ...seen(person), kind, key };
    response.status(201).json(added);
  });

  router.get("/", async (request, response) => {
    await callers.admin(request);
    const { limit, after } = body.valid(body.peopleQuery, request.query);
    const { items, next } = await people.list(limit, after);
    linkNext(request, response, next);
    response.json({ items: items.map((person) => ({ ...seen(person), kind: person.kind })), next });
  });

  router.get("/:handle", async (request, response) => {
    await callers.inside(request);
    response.json(seen(people.called(request.params.handle)));
  });
  return router;
}

export function meRoutes({ callers, people, keys, notices, mine, writer }: PeopleDoors): Router {
  const router = Router();

  router.get("/", async (request, response) => {
    const { person, hash } = await callers.person(request);
    const listed = await keys.listOf(person.id);
    const me: Me = {
      ...seen(person),
      kind: person.kind,
      keys: listed.map((key) => ({ ...key, current: key.id === idOf(hash) })),
    };
    response.json(me);
  });

  router.patch("/", async (request, response) => {
    const { name } = body.valid(body.rename, request.body);
    const { person } = await callers.person(request);
    await people.rename(person.id, name);
    response.json(seen({ ...person, name }));
  });

  router.post("/keys", async (request, response) => {
    const { name } = body.valid(body.newKey, request.body ?? {});
    const { person } = await callers.person(request);
    const key = await people.addKey(person.id, name);
    const listed = (await keys.listOf(person.id)).find((one) => one.id === idOf(keys.find(key)?.key_hash ?? ""));
    if (!listed) throw new Error("a key that was just made is not there");
    const added: AddedKey = { ...listed, key };
    response.status(201).json(added);
  });

  router.delete("/keys/:id", async (request, response) => {
    const { person } = await callers.person(request);
    const hash = await keys.hashOf(person.id, request.params.id);
    if (hash === undefined) throw new Problem(404, "noSuchKey", "You have no such key; see the list of your keys.");
    await writer.write(() => keys.revoke([hash]));
    response.status(204).end();
  });

  router.get("/played-with", async (request, response) => {
    const { person } = await callers.person(request);
    const { limit, after } = body.valid(body.timedQuery, request.query);
    const { items, next } = await people.playedWith(person.id, limit, after);
    linkNext(request, response, next);
    response.json({ items: items.map(seen), next });
  });

  router.get("/matches", async (request, response) => {
    const { person } = await callers.person(request);
    const { filter, limit, after } = body.valid(body.mineQuery, request.query);
    const page = await mine.page(person.id, filter, limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });

  router.get("/notices", async (request, response) => {
    const { person } = await callers.person(request);
    const { limit, after } = body.valid(body.noticeListQuery, request.query);
    const page = await notices.page(person.id, limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });

  router.post("/tickets", async (request, response) => {
    const { hash } = await callers.person(request);
    const ticket = newKey();
    let expires = 0;
    await writer.write(() => {
      expires = keys.addTicket(ticket, hash);
    });
    response.status(201).json({ ticket, expires });
  });

  router.get("/stream", async (request, response) => {
    const caller = await callers.person(request);
    await streamNotices(notices, caller, request, response);
  });
  return router;
}

/** The admin's part in people: their keys when all were lost. */
export function adminRoutes({ callers, people, keys, writer }: PeopleDoors): Router {
  const router = Router();
  router.post("/people/:handle/keys", async (request, response) => {
    await callers.admin(request);
    const { name } = body.valid(body.newKey, request.body ?? {});
    const { id } = people.called(request.params.handle);
    response.status(201).json({ key: await people.addKey(id, name) });
  });

  router.delete("/people/:handle/keys", async (request, response) => {
    await callers.admin(request);
    const { id } = people.called(request.params.handle);
    const hashes = await Promise.all((await keys.listOf(id)).map((key) => keys.hashOf(id, key.id)));
    await writer.write(() => keys.revoke(hashes.filter((hash) => hash !== undefined)));
    response.status(204).end();
  });
  return router;
}

/** Somebody as everybody may see them. */
function seen({ handle, name }: Person): PersonInfo {
  return { handle, name };
}
