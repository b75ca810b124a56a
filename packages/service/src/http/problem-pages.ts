/** What each problem's code means and what to do about it: the page that a problem document's `type` leads to. */

import { type RequestHandler, Router } from "express";
import { noSuchAddress } from "../problems.js";

/** Every code of a problem document, in words. */
const PROBLEM_CODES: Readonly<Record<string, string>> = {
  alreadyReady: "The seat has finished its part of this turn already. Wait until all are ready.",
  asideFails:
    "Large machines are played in a part of the service that is being set up again. What was acknowledged " +
    "is kept. Send the same request again after the time in Retry-After.",
  badArgument:
    "An argument of the action is missing, of another type, or not among those that are open now. The " +
    "detail says which and why; POST .../options lists the open values.",
  badContent:
    "The body is of a type that is not read here. Send application/json, or a logbook as " +
    "application/x-ndjson, in UTF-8 and not compressed.",
  badGiven: "The data or the state that the match shall begin with do not fit the machine. The detail says which path.",
  badHook: "The service may not send to this address; the detail says why.",
  badJson: "The body is not JSON. Nothing was changed.",
  badKey:
    "The key is not known (401: it may have been revoked), or it does not open this (403). The table of " +
    "who may do what is in docs/http.md.",
  badLeast: "More seats would have to be held than the match has.",
  badLink:
    "The link was used already, was replaced by a new one, or its invitation was withdrawn. Ask whoever " +
    "sent it for a new one.",
  badRequest:
    "The request is not formed as this address takes it. `errors` names every member that is wrong. " +
    "Nothing was changed.",
  badSeats: "The machine is not played by that many seats.",
  cancelled: "The match was cancelled: it takes no more inputs. Its logbook stays.",
  cannotLeave: "Nothing in the machine says what happens when a seat is left.",
  damaged:
    "What is stored of the match was changed outside of the service. It is not played on. Its logbook can " +
    "be downloaded, and its host can cancel it.",
  diverges:
    "On the version it was to be resumed on, the match diverges " +
    "from how it went: `step` is the first step that does, " +
    "`comesTo` is where it stands there after all that was played. Send it with `anyway` to go on with that.",
  doesNotCompile:
    "The machine has errors; `messages` has each with its place. For a match: its machine was stored by " +
    "another version of the service and does not compile in this one.",
  doesNotReplay:
    "The stored steps of the match do not come to the same on its machine. Resume it on a version on " +
    "which they do, or cancel it.",
  fault: "The machine made a mistake while it ran: `fault` has its code and line. Nothing was changed.",
  foreignName: "The service was asked for by a name that it does not know as its own. Start it with --url ADDRESS.",
  foreignPage: "A page of another origin asked for a change. Start the service with --origin ORIGIN to let it.",
  gaveUp: "What was asked for took too much time or memory, and was given up.",
  handleTaken: "Somebody else has this handle. Choose another.",
  inputRefused:
    "An input of the match is not taken by the version it was " +
    "to be resumed on: `step` tells which. Nothing was changed.",
  internal: "The service made a mistake. Nothing was changed; its log says more.",
  matchOver: "The match is over.",
  methodNotAllowed: "There is something at this address, but not for this method. `Allow` lists those it takes.",
  needsFailed: "A condition of the action does not hold; `condition` shows it with its values.",
  noKey: "This needs a key: Authorization: Bearer KEY.",
  noSuchAddress: "There is nothing at this address. All addresses are in /api/openapi.json.",
  noSuchHook: "You have no webhook with this id.",
  noSuchJob: "There is no job with this id here: of those that have ended the last 200 are kept.",
  noSuchKey: "You have no key with this id.",
  noSuchLogbook: "There is no logbook with this id.",
  noSuchMachine: "There is no machine by this reference: a hash, Name@2, or Name.",
  noSuchMatch: "There is no match with this id. It may have been let go after it was finished.",
  noSuchPerson: "There is nobody with this handle.",
  noSuchPolicy: "The machine has no policy of this name; `random` is always there.",
  noSuchSeat: "The match has no seat of this name.",
  noSuchStep: "The match has no step of this number.",
  noTicketNeeded: "Whoever needs no key needs no ticket either.",
  noTimer: "No timer is running, so there is nothing to wait for.",
  notALogbook: "The text is no logbook. The detail names the first line that is wrong.",
  notDone: "The job has come to nothing yet; `state` says how it is. Follow it until it has ended.",
  notInvited: "Nobody is invited to this seat.",
  notOpenHere: "The action is not possible in the states the match is in.",
  notOver: "This can be asked for when the match is over.",
  notPassedOn: "This port is the service's own.",
  notSeated: "The seat is not one of the match's, or nobody sits there yet.",
  notSuspended: "The match goes on; there is nothing to resume.",
  notUtf8: "The body is no UTF-8 text.",
  notYet: "The match starts when more seats are held: `least` of them; `held` are.",
  notYourTurn: "It is another seat's turn; the detail says whose.",
  realClock: "The match is on real time; only a match begun with a manual clock waits.",
  requestReused: "This name of a request was used for something else. Give each request a name of its own.",
  reserved: "The seat is kept for somebody who is invited.",
  seatOut: "The seat is out of the match.",
  seatTaken: "Somebody sits there.",
  stale:
    "What the seat may see has changed since the step the action was meant for. The document holds the " +
    "match as it is now: look at it, and send the action again if it is still meant.",
  stopping: "The service is stopping. Send the same request again after the time in Retry-After.",
  storageFails:
    "The disk takes nothing at the moment. Nothing was changed; send the same request again after the " +
    "time in Retry-After.",
  suspended:
    "The match does not go on because its machine made a mistake in a timer. Its host can resume it, also " +
    "on another version, or cancel it.",
  tooLarge: "The body is larger than this address takes.",
  tooLong: "The match is too long to be carried over to another version.",
  tooManyOpen: "So many matches that you began go on already. End one, or wait until one is over.",
  tooManyStreams: "So many streams are open with this key already. Close one first.",
  tooMany:
    "More was asked for than one client may in a minute; `allowed` says how much. Come again after the " +
    "time in Retry-After.",
  tooManyWaiting: "Too many inputs of one match are waiting. Send it again in a while.",
  twoHolders: "A seat was given two holders; a seat has one.",
  unknownAction: "The machine has no action of this name.",
  whichSeat: "The key acts for several seats: name one as `seat`.",
  wrongKeys: "Too many wrong keys came from this address. Come again after the time in Retry-After.",
};

export function problemPages(): Router {
  const router = Router();
  router.get("/", (_request, response) => {
    const items = Object.keys(PROBLEM_CODES).map((code) => `<li><a href="/problems/${code}">${code}</a></li>`);
    response.type("html").send(page("Problems", `<ul>${items.join("")}</ul>`));
  });
  router.get("/:code", showCode);
  return router;
}

const showCode: RequestHandler<{ code: string }> = (request, response) => {
  const { code } = request.params;
  if (!Object.hasOwn(PROBLEM_CODES, code)) noSuchAddress(request);
  const words = escaped(PROBLEM_CODES[code] ?? "");
  response.type("html").send(page(code, `<p>${words}</p><p><a href="/problems">All problems</a></p>`));
};

/** A page that needs nothing else: whoever is sent here may be in any program. */
export function page(title: string, body: string): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title>
<style>body{font:1rem/1.5 system-ui,sans-serif;max-width:44rem;margin:3rem auto;padding:0 1rem}
table{border-collapse:collapse}td{border:1px solid #8886;padding:.1rem .5rem;vertical-align:top}</style>
<h1>${title}</h1>${body}</html>`;
}

export function escaped(text: string): string {
  return text.replace(/&/g, "&amp;").replace(/</g, "&lt;");
}
