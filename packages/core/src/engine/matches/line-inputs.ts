/** The lines of tests as inputs of a match: what stands in them is worked out in the situation last taken in. */

import type { ActionCall, Expr, Location, SetDice, TestLine } from "../../check/machine.js";
import type { Type } from "../../check/types.js";
import type { SetRoll } from "../situation/memory.js";
import type { Input } from "../situation/situation.js";
import { type Json, keyText, toJson } from "../values/json.js";
import { pointerOf } from "../values/pointer.js";
import type { Engine } from "./runnable.js";

/** The lines that are steps of a match. */
export type InputLine = TestLine & { readonly kind: "act" | "event" | "wait" | "joins" | "leaves" };

export class LineInputs {
  constructor(private readonly engine: Engine) {}

  /**
   * What a line does.
   *
   * @param now the match's time, in milliseconds since 1970 UTC
   * @throws Fault when something that stands in the line cannot be worked out
   */
  of(line: InputLine, now: number): Input {
    switch (line.kind) {
      case "wait": {
        const wait = this.engine.code.expressions.number(line.time)();
        return { kind: "time", time: now + wait, dice: this.dice(line.dice) };
      }
      case "event": {
        const signal = this.engine.machine.signals[line.signal];
        const args = Object.fromEntries(
          (signal?.parameters ?? []).map((p, i) => [p.name, this.json(line.args[i] as Expr)]),
        );
        return { kind: "event", event: signal?.name ?? "", args, dice: this.dice(line.dice) };
      }
      case "joins":
      case "leaves":
        return { kind: line.kind === "joins" ? "join" : "leave", seat: this.seat(line.seat) };
      case "act":
        return {
          kind: "action",
          seat: this.seat(line.seat),
          action: line.call.action,
          args: this.args(line.call),
          ...(line.dice && { dice: this.dice(line.dice) }),
        };
    }
  }

  seat(number: number): string {
    return this.engine.machine.seats.names[number] ?? "";
  }

  json(e: Expr): Json {
    const { engine } = this;
    return toJson(e.type, engine.code.expressions.compile(e)(), engine.memory.naming);
  }

  args(call: ActionCall): Record<string, Json> {
    return Object.fromEntries([...call.args].map(([name, e]) => [name, this.json(e)]));
  }

  dice(dice: SetDice | undefined): SetRoll[] {
    return (dice?.values ?? []).map((e) =>
      e === null ? null : (this.engine.code.expressions.compile(e)() as number | boolean),
    );
  }

  /** The JSON Pointer of a place in the data. */
  pointer(target: Location): string {
    const { engine } = this;
    const { machine } = engine;
    const field = target.base.kind === "data" ? machine.data[target.base.slot] : undefined;
    const parts = ["data", field?.name ?? ""];
    let type: Type | undefined = field?.type;
    for (const s of target.path) {
      if (s.kind === "field") {
        const inner: { name: string; type: Type } | undefined =
          type?.kind === "record" ? type.fields[s.field] : undefined;
        parts.push(inner?.name ?? "");
        type = inner?.type;
      } else if (s.kind === "present") {
        type = s.type;
      } else {
        const key = keyText(s.key.type, engine.code.expressions.compile(s.key)(), engine.memory.naming);
        // A cell "x,y" of a grid is row y, then x.
        if (type?.kind === "grid") parts.push(...key.split(",").reverse());
        else parts.push(key);
        type = type && "of" in type ? type.of : type?.kind === "map" ? type.value : undefined;
      }
    }
    return pointerOf(parts);
  }
}
