/** The generated code of statements, by kind. What gives no code runs as its closure. */

import type { Block, Expr, Location, Machine, Statement } from "../../check/machine.js";
import { blockCost, costOf, isOpenEnded } from "../../check/size.js";
import { isBoxed } from "../../check/types.js";
import { SEAT_OUT } from "../situation/memory.js";
import type { Code, Generating } from "./generating.js";
import { packedTarget, throughBoxes, type Written } from "./packed.js";
import { CodeScope } from "./scope.js";
import { clamp, isSeatList } from "./support.js";

type Of<K extends Statement["kind"]> = Statement & { readonly kind: K };

/** Gives undefined where the closure is to run after all. */
type Table = { readonly [K in Statement["kind"]]: (g: Generating, s: Of<K>, scope: CodeScope) => Code | undefined };

const GENERATED: Table = {
  // Lets are written to, and read behind the block, so they stay where closures have them.
  let: (g, s, scope) => `L[${s.slot}] = ${g.storedCode(s.value, scope)};\n`,
  assign: (g, s, scope) => assign(g, s, scope),
  change: (g, s, scope) => change(g, s, scope),
  call: (g, s, scope) =>
    scope.configuration && g.hooks.inlines(s.effect)
      ? inlined(g, s, scope)
      : `${g.effectCode(s.effect)}(${s.args.map((arg) => g.storedCode(arg, scope)).join(", ")});\n`,
  note: (g, s, scope) =>
    scope.configuration ? "" : `if (memory.happenings) ${g.closure(g.statements.single(s), scope)};\n`,
  raise: (g, s, scope) =>
    g.hooks.raised(s, scope) ??
    `memory.raise(${s.signal}, [${s.args.map((arg) => g.storedCode(arg, scope)).join(", ")}], ${g.at(s)});\n`,
  eliminate: (g, s, scope) => `memory.setSeat(${g.expression(s.seat, scope)}, ${SEAT_OUT});\n`,
  reopen: () => undefined,
  for: (g, s, scope) => (s.source.type.kind === "list" ? loop(g, s, scope) : undefined),
  if: (g, s, scope) => {
    let code = "";
    for (const [i, branch] of s.branches.entries())
      code +=
        `${i === 0 ? "if" : " else if"} (${g.expression(branch.test, scope)}) ` +
        `{\n${g.blockCode(branch.body, scope)}}`;
    return `${code}${s.otherwise ? ` else {\n${g.blockCode(s.otherwise, scope)}}` : ""}\n`;
  },
};

/** The code of a block, what it costs counted first. */
export function blockCode(g: Generating, block: Block, outer: CodeScope): Code {
  const scope = outer.inside();
  const spent = block.statements.length === 0 ? "" : `memory.effects += ${blockCost(block)};\n`;
  return spent + block.statements.map((s) => statementCode(g, s, scope)).join("");
}

function statementCode(g: Generating, s: Statement, scope: CodeScope): Code {
  const generate = GENERATED[s.kind] as (g: Generating, s: never, scope: CodeScope) => Code | undefined;
  return generate(g, s as never, scope) ?? throughBoxes(g, `${g.closure(g.statements.single(s), scope)};\n`);
}

/** An effect's body in place of its call. Nothing calls itself, so this ends. */
function inlined(g: Generating, s: Of<"call">, scope: CodeScope): Code {
  const { parameters, body } = g.machine.effects[s.effect] as Machine["effects"][number];
  const inner = new CodeScope(undefined, scope.configuration);
  const values = s.args.map((arg) => [g.variable(), g.storedCode(arg, scope)] as const);
  const named = parameters.map((p, i) => `${inner.add(p.slot)} = ${values[i]?.[0]}`);
  const first = values.length === 0 ? "" : `const ${values.map(([name, code]) => `${name} = ${code}`).join(", ")};\n`;
  return `{\n${first}{\n${named.length === 0 ? "" : `const ${named.join(", ")};\n`}${g.blockCode(body, inner)}}\n}\n`;
}

function loop(g: Generating, s: Of<"for">, scope: CodeScope): Code {
  const inner = scope.inside();
  const source = g.expression(s.source, scope);
  const item = inner.add(s.slot);
  const where = s.where && g.expression(s.where, inner);
  const of = s.source.type.kind === "list" ? s.source.type.of : undefined;
  const shared =
    of === undefined || !isBoxed(of)
      ? ""
      : isOpenEnded(of)
        ? `memory.kept(${item}, ${g.at(s)});\n`
        : `share(${item});\n`;
  // The list as it was when the loop began, whatever the body does to it. Lists of seats are never changed in place.
  const list = g.variable();
  const index = g.variable();
  const copy = isSeatList(s.source) ? "" : ".slice()";
  const guard = where === undefined ? "" : `if (!(${where})) continue;\n`;
  const copied = isSeatList(s.source) ? "" : `memory.charge(${list}.length, ${g.at(s)});\n`;
  return (
    `{\nconst ${list} = ${source}.parts${copy};\n${copied}for (let ${index} = 0; ${index} ` +
    `< ${list}.length; ${index}++) {\nconst ${item} ` +
    `= ${list}[${index}];\n${g.spent(s, s.source, 1 + costOf(s.where), scope)}${shared}${guard}` +
    `${g.blockCode(s.body, inner)}}\n}\n`
  );
}

function assign(g: Generating, s: Of<"assign">, scope: CodeScope): Code | undefined {
  const { type } = s.target;
  const last = s.target.path.at(-1);
  if (last?.kind === "index" && last.of.kind === "map") return undefined;
  if (
    g.machine.laws.some((law) => law.form === "changes" && law.way !== "changes" && s.target.watched.includes(law.id))
  )
    return undefined;
  if (s.op === "=" && (type.kind === "text" || type.kind === "list") && type.max !== undefined) return undefined;
  const packed = packedTarget(g, s.target, scope);
  if (packed === "whole") return throughBoxes(g, assigned(g, s, scope, boxTarget(g, s.target, scope)));
  return assigned(g, s, scope, packed ?? boxTarget(g, s.target, scope));
}

/** How a place in a box is read and written. */
function boxTarget(g: Generating, target: Location, scope: CodeScope): Written {
  const box = g.variable();
  const slot = g.variable();
  const { setup, holder, slot: found } = g.location(target, scope);
  const place = `${box}.parts[${slot}]`;
  return {
    setup: `${setup}const ${box} = ${holder}, ${slot} = ${found};\n`,
    before: place,
    put: (value) => `${place} = ${value};\n`,
  };
}

function assigned(g: Generating, s: Of<"assign">, scope: CodeScope, { setup, before, put }: Written): Code {
  const { type } = s.target;
  const value = g.variable();
  const head = `const ${value} = ${g.storedCode(s.value, scope)};\n${watchCode(g, s.target, scope)}${setup}`;
  const bounds = type.kind === "int" && clamp(type) ? type : undefined;
  /** Writes a number within the bounds, and records what was not. */
  const clamped = (wanted: Code, kept: Code): Code => {
    const { low, high } = bounds as NonNullable<typeof bounds>;
    const within = g.variable();
    const recorded = scope.configuration ? "" : `memory.recordClamped(${s.from}, ${wanted}, ${within});\n`;
    return (
      `if (${wanted} < ${low} || ${wanted} > ${high}) {\nconst ${within} = ${wanted} < ${low} ? ${low} : ${high};\n` +
      `${put(within)}${recorded}} else {\n${put(kept)}}\n`
    );
  };
  let tail: Code;
  if (s.op === "=") {
    tail = bounds ? clamped(value, value) : put(value);
  } else {
    const next = g.variable();
    const sum = `const ${next} = ${before} ${s.op === "+=" ? "+" : "-"} ${value};\n`;
    tail = bounds
      ? `${sum}${clamped(next, `(${next} + 0)`)}`
      : `${sum}${put(`(${type.kind === "int" ? "int" : "num"}(${next}, ${g.at(s)}) + 0)`)}`;
  }
  return `{\n${head}${tail}}\n`;
}

function change(g: Generating, s: Of<"change">, scope: CodeScope): Code | undefined {
  const { type } = s.target;
  if (type.kind !== "list" || type.max !== undefined || !["push", "take", "takeLast", "clear"].includes(s.method))
    return undefined;
  const { setup, holder, slot } = g.location(s.target, scope);
  const list = g.variable();
  const head = `${watchCode(g, s.target, scope)}${setup}const ${list} = own(${holder}, ${slot}, memory.epoch);\n`;
  switch (s.method) {
    case "push": {
      const value = g.variable();
      return (
        `{\nconst ${value} = ${g.storedCode(s.args[0] as Expr, scope)};\n${head}pushed(${list}` +
        `.parts, ${value}, ${g.at(s)});\n}\n`
      );
    }
    case "clear":
      return `{\n${head}${list}.parts.length = 0;\n}\n`;
    case "take":
      return `{\n${head}memory.charge(${list}.parts.length, ${g.at(s)});\ntaken(${list}, true, ${g.at(s)});\n}\n`;
    default:
      return `{\n${head}taken(${list}, false, ${g.at(s)});\n}\n`;
  }
}

function watchCode(g: Generating, target: Location, { configuration }: CodeScope): Code {
  const watcher = g.statements.watch(target);
  if (!watcher) return "";
  const laws = g.machine.laws.flatMap((law) =>
    law.form === "changes" && target.watched.includes(law.id) ? [law] : [],
  );
  if (configuration && laws.every((law) => law.states.some((id) => configuration.active[id] === 1))) return "";
  const allowed = laws
    .map((law) => `(${law.states.map((id) => `memory.configuration.active[${id}] === 1`).join(" || ") || "false"})`)
    .join(" && ");
  return `if (!(${allowed})) ${g.keep(watcher)}();\n`;
}
