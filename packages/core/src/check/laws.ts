/** Checks laws, and the paths of data they watch. */

import { didYouMean } from "../language/suggest.js";
import type { ExprNode, LawNode, Name } from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { ExpressionChecker } from "./expressions.js";
import type { Law, State } from "./machine.js";
import type { Field, Type } from "./types.js";

const NO_FIELDS: readonly Field[] = [];

/** The names of such a path, as they stand in the text. */
function namesOf(node: ExprNode): Name[] {
  if (node.kind === "name") return [node.name];
  return node.kind === "member" ? [...namesOf(node.of), node.name] : node.kind === "index" ? namesOf(node.of) : [];
}

/** The segments of the path that a law `changes PATH only in ...` watches; indices do not count. */
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
        const segments = this.watchedPath(node.path);
        return segments && { form: "changes", path: segments.join("."), states: this.stateIds(node.states), ...at };
      }
      case "entered": {
        const [target] = this.stateIds([node.target]);
        const states = this.stateIds(node.states);
        return target === undefined ? undefined : { form: "entered", target, states, ...at };
      }
    }
  }

  /** Walks `kites.lift` through types, leaving out indices: `kites` is per seat, its element a record. */
  private watchedPath(node: ExprNode): string[] | undefined {
    const segments = pathSegments(node);
    const symbol = segments && this.tables.global.find(segments[0] as string);
    if (!segments || symbol?.kind !== "data") {
      const known = this.tables.global.all().filter((n) => this.tables.global.find(n)?.kind === "data");
      this.tables.unknown("unknown-value", node, this.tables.written(node), known, "data of the machine");
      return undefined;
    }
    let type: Type = symbol.type;
    const names = namesOf(node);
    this.tables.names.use(names[0] as Name, symbol);
    for (const [at, segment] of segments.slice(1).entries()) {
      while (type.kind === "perSeat" || type.kind === "list" || type.kind === "grid" || type.kind === "maybe")
        type = type.of;
      const fields = type.kind === "record" ? type.fields : NO_FIELDS;
      const field = fields.find((f) => f.name === segment);
      if (!field) {
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
      type = field.type;
    }
    return segments;
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
