/** Checks laws, and the paths of data they watch. */

import { didYouMean } from "../language/suggest.js";
import type { ExprNode, LawNode, Name } from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { ExpressionChecker } from "./expressions.js";
import type { Law, State } from "./machine.js";
import { describe, type Field, type Type } from "./types.js";
import { withArticle } from "./wording.js";

const NO_FIELDS: readonly Field[] = [];

/** The names of such a path, as they stand in the text. */
function namesOf(node: ExprNode): Name[] {
  if (node.kind === "name") return [node.name];
  return node.kind === "member" ? [...namesOf(node.of), node.name] : node.kind === "index" ? namesOf(node.of) : [];
}

/** The segments of the path that a law `PATH changes only in ...` watches; indices do not count. */
export function pathSegments(node: ExprNode): string[] | undefined {
  if (node.kind === "name") return [node.name.text];
  if (node.kind !== "member" && node.kind !== "index") return undefined;
  const outer = pathSegments(node.of);
  return node.kind === "member" ? outer && [...outer, node.name.text] : outer;
}

/** Checks laws: what a machine promises about itself. */
export class LawChecker {
  constructor(
    private readonly tables: Tables,
    private readonly expressions: ExpressionChecker,
    private readonly states: readonly State[],
  ) {}

  law(node: LawNode, id: number): Law | undefined {
    const at = { id, words: node.words, from: node.from, to: node.to };
    const where: Where = { scope: this.tables.global, effects: "a law", me: false };
    switch (node.form) {
      case "holds":
        return { form: "holds", test: this.expressions.condition(node.test, where, "a law"), ...at };
      case "changes": {
        const watched = this.watchedPath(node.path, node.way !== "changes");
        const states = this.stateIds(node.states);
        return watched && { form: "changes", way: node.way, ...watched, states, ...at };
      }
      case "entered": {
        const [target] = this.stateIds([node.target]);
        const states = this.stateIds(node.states);
        return target === undefined ? undefined : { form: "entered", target, states, ...at };
      }
    }
  }

  /**
   * Walks `kites.lift` through types, leaving out indices: `kites` is per seat, its element a record.
   *
   * @param numbers whether it must lead to numbers, through nothing but seats and records
   */
  private watchedPath(
    node: ExprNode,
    numbers: boolean,
  ): { path: string; slot: number; steps: (number | "each")[] } | undefined {
    const segments = pathSegments(node);
    const symbol = segments && this.tables.global.find(segments[0] as string);
    if (!segments || symbol?.kind !== "data") {
      if (segments && this.tables.isLost(segments[0] as string)) return undefined;
      const known = this.tables.global.all().filter((n) => this.tables.global.find(n)?.kind === "data");
      this.tables.unknown("unknown-value", node, this.tables.written(node), known, "data of the machine");
      return undefined;
    }
    let type: Type = symbol.type;
    const steps: (number | "each")[] = [];
    const names = namesOf(node);
    this.tables.names.use(names[0] as Name, symbol);
    for (const [at, segment] of segments.slice(1).entries()) {
      while (type.kind === "perSeat" || type.kind === "list" || type.kind === "grid" || type.kind === "maybe") {
        if (numbers && type.kind !== "perSeat") return this.noNumber(node, type);
        steps.push("each");
        type = type.of;
      }
      const fields = type.kind === "record" ? type.fields : NO_FIELDS;
      const field = fields.find((f) => f.name === segment);
      if (!field) {
        if (type.kind === "unknown" || this.tables.isLost(segment)) return undefined;
        this.tables.error(
          "unknown-field",
          node,
          `There is no field "${segment}" in this path.`,
          didYouMean(
            segment,
            fields.map((f) => f.name),
            "field",
          ),
        );
        return undefined;
      }
      const span =
        fields === NO_FIELDS
          ? undefined
          : this.tables.fieldSpans.get((type as { name: string }).name)?.[fields.indexOf(field)];
      if (span) this.tables.names.use(names[at + 1] as Name, span);
      steps.push(fields.indexOf(field));
      type = field.type;
    }
    if (type.kind === "perSeat") {
      steps.push("each");
      type = type.of;
    }
    if (numbers && type.kind !== "int" && type.kind !== "num" && type.kind !== "unknown")
      return this.noNumber(node, type);
    return { path: segments.join("."), slot: symbol.slot, steps };
  }

  private noNumber(node: ExprNode, type: Type): undefined {
    this.tables.wrongType(
      node,
      `Only a number falls or rises: data, per seat and in records. Here stands ${withArticle(describe(type))}.`,
      "To say where it may be written at all: PATH changes only in STATES.",
    );
    return undefined;
  }

  private stateIds(names: readonly Name[]): number[] {
    const ids: number[] = [];
    for (const name of names) {
      const place = this.tables.targets.get(name.text);
      if (place) this.tables.names.use(name, place);
      if (place?.kind === "state") ids.push(place.id);
      else if (place) this.tables.error("wrong-place", name, `"${name.text}" is an ending; a law speaks of states.`);
      else
        this.tables.unknown(
          "unknown-state",
          name,
          name.text,
          this.states.slice(1).map((s) => s.name),
          "state",
        );
    }
    return ids;
  }
}
