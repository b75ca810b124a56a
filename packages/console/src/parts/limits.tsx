/** What a machine and this service allow at most, to know before a match is begun. */

import { useQuery } from "@tanstack/react-query";
import { limitsOf, type Machine } from "@zany/core";
import { type ReactNode, useMemo } from "react";
import { client } from "../service.js";
import { timeLeft } from "./match-status.js";

export function Limits({ machine }: { machine: Machine }): ReactNode {
  const { seats, deadlines, texts, data, notes } = useMemo(() => limitsOf(machine), [machine]);
  const { data: service } = useQuery({ queryKey: ["limits"], queryFn: () => client.limits() });
  return (
    <details className="rounded border border-line bg-panel px-3 py-1.5">
      <summary className="cursor-pointer text-soft">Limits</summary>
      <dl className="mt-1 grid grid-cols-[8rem_1fr] gap-y-0.5">
        <Row of="seats">{seats.least === seats.most ? seats.most : `${seats.least} to ${seats.most}`}</Row>
        <Row of="timers">
          {deadlines
            .map(
              ({ timer, delay, repeats }) =>
                `${timer} ${repeats ? "each " : ""}${delay === null ? "worked out at entry" : timeLeft(delay)}`,
            )
            .join(", ") || "none: nobody has to hurry"}
        </Row>
        <Row of="texts">
          {texts.map(({ of, most }) => `${of} ${most.toLocaleString("en")} characters`).join(", ") || "none"}
        </Row>
        <Row of="all data">{data.toLocaleString("en")} characters when they are written down</Row>
        <Row of="notes of a step">
          {notes.most}, of {notes.longest.toLocaleString("en")} characters each
        </Row>
        {service ? (
          <>
            <Row of="here, a minute">
              {service.requests.toLocaleString("en")} requests, {service.makings.toLocaleString("en")} things made
            </Row>
            <Row of="open matches">
              {service.openMatches.person} of a person, {service.openMatches.guest} of a guest
            </Row>
            <Row of="left alone">a match without a timer lapses after {timeLeft(service.idle)}</Row>
          </>
        ) : null}
      </dl>
    </details>
  );
}

function Row({ of, children }: { of: string; children: ReactNode }): ReactNode {
  return (
    <div className="contents">
      <dt className="text-soft">{of}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </div>
  );
}
