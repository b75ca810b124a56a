/**
 * A compiled machine as a file: JSON that the engine takes without the checker. A game ships it beside the engine
 * (`@zany/core/engine`), so that neither the language nor the checker is in what its players download.
 *
 * The file is one object: `zany` is "machine", `format` a number, `name`, `hash` and `rules` what the machine is known
 * by, `digest` the SHA-256 of `machine` and `shared` as JSON without spaces. In these a value stands as it is, but:
 * what is one object in several places stands once, in the list `shared`, and is named by `{"@": its place there}`;
 * `{"@": "map", "of": [[key, value], ..]}`, `{"@": "set", "of": [..]}` and `{"@": "number", "of": "Infinity"}` stand
 * for what JSON cannot say.
 */

import { fromPortable, type PortableMachine, toPortable } from "../../check/portable.js";
import type { Machine } from "../../check/machine.js";
import { sha256Hex } from "../values/hash.js";
import { Runnable } from "./runnable.js";

/** Changes whenever an engine could not run what another version has written. */
export const COMPILED_FORMAT = 1;

/** Says why a text is no compiled machine, or none that this version runs. */
export class NotCompiled extends Error {}

type Plain = string | number | boolean | null | readonly Plain[] | { readonly [key: string]: Plain };

interface CompiledFile {
  readonly zany: "machine";
  readonly format: number;
  readonly name: string;
  readonly hash: string;
  readonly rules: string;
  readonly digest: string;
  readonly machine: Plain;
  readonly shared: readonly Plain[];
}

/**
 * The file of a machine: the same machine, the same text.
 *
 * @param runnable made of a machine that compiled without errors
 * @returns one line of JSON
 */
export function compiledText(runnable: Runnable): string {
  const { machine, shared } = new Writer().all(toPortable(runnable.machine));
  const { hash, rules } = runnable;
  const file: CompiledFile = {
    zany: "machine",
    format: COMPILED_FORMAT,
    name: runnable.machine.name,
    hash,
    rules,
    digest: digestOf(machine, shared),
    machine,
    shared,
  };
  return JSON.stringify(file);
}

/**
 * The machine in a file that `compiledText` wrote.
 *
 * @throws NotCompiled when it is none, was changed, or was written for another engine
 */
export function readCompiled(text: string): Runnable {
  let file: Partial<CompiledFile> | null;
  try {
    file = JSON.parse(text) as Partial<CompiledFile> | null;
  } catch {
    throw new NotCompiled('This is no JSON. A compiled machine is made by "zany compile FILE --out".');
  }
  if (typeof file !== "object" || file?.zany !== "machine")
    throw new NotCompiled('This is no compiled machine. One is made by "zany compile FILE --out".');
  if (file.format !== COMPILED_FORMAT)
    throw new NotCompiled(
      `This machine was compiled in format ${file.format}, and this engine reads ${COMPILED_FORMAT}: compile it again.`,
    );
  const { machine, shared, digest } = file;
  if (machine === undefined || !Array.isArray(shared) || digest !== digestOf(machine, shared))
    throw new NotCompiled("This compiled machine was cut short or changed after it was written: compile it again.");
  return new Runnable(machineFrom(machine, shared));
}

function machineFrom(machine: Plain, shared: readonly Plain[]): Machine {
  return fromPortable(new Reader(shared).value(machine) as PortableMachine);
}

function digestOf(machine: Plain, shared: readonly Plain[]): string {
  return sha256Hex(JSON.stringify([machine, shared]));
}

/** Numbers that JSON has no word for. */
const NUMBERS: ReadonlyMap<string, number> = new Map([
  ["Infinity", Infinity],
  ["-Infinity", -Infinity],
  ["-0", -0],
]);

/** Goes through the machine twice: what is met again, and then everything, in the same order. */
class Writer {
  private readonly met = new Map<object, number>();
  private readonly places = new Map<object, number>();
  private readonly shared: Plain[] = [];

  all(root: object): { machine: Plain; shared: readonly Plain[] } {
    this.count(root);
    return { machine: this.value(root), shared: this.shared };
  }

  private count(value: unknown): void {
    if (typeof value !== "object" || value === null) return;
    const times = (this.met.get(value) ?? 0) + 1;
    this.met.set(value, times);
    if (times > 1) return;
    if (value instanceof Map) for (const entry of value) for (const part of entry) this.count(part);
    else if (value instanceof Set || Array.isArray(value)) for (const part of value) this.count(part);
    else for (const part of Object.values(value)) this.count(part);
  }

  private value(value: unknown): Plain {
    if (typeof value === "number") return numberFor(value);
    if (typeof value === "string" || typeof value === "boolean" || value === null) return value;
    if (value === undefined) return { "@": "nothing" };
    if (typeof value !== "object") throw new TypeError(`A machine holds no ${typeof value}.`);
    if ((this.met.get(value) ?? 0) < 2) return this.contents(value);
    const known = this.places.get(value);
    if (known !== undefined) return { "@": known };
    const place = this.shared.length;
    this.places.set(value, place);
    // What it contains may name it, so its place is taken first.
    this.shared.push(null);
    this.shared[place] = this.contents(value);
    return { "@": place };
  }

  private contents(value: object): Plain {
    if (value instanceof Map)
      return { "@": "map", of: [...value].map(([key, held]) => [this.value(key), this.value(held)]) };
    if (value instanceof Set) return { "@": "set", of: [...value].map((held) => this.value(held)) };
    if (Array.isArray(value)) return value.map((held) => this.value(held));
    const object: Record<string, Plain> = {};
    for (const [key, held] of Object.entries(value)) if (held !== undefined) object[key] = this.value(held);
    return object;
  }
}

function numberFor(value: number): Plain {
  for (const [of, number] of NUMBERS) if (Object.is(value, number)) return { "@": "number", of };
  return value;
}

/** The way back: every shared value is there once, made when it is first named. */
class Reader {
  private readonly made = new Map<number, unknown>();

  constructor(private readonly shared: readonly Plain[]) {}

  value(plain: Plain): unknown {
    if (typeof plain !== "object" || plain === null) return plain;
    if (Array.isArray(plain)) return this.list(plain, []);
    const { "@": mark, of } = plain as { readonly "@"?: string | number; readonly of?: Plain };
    if (mark === undefined) return this.object(plain as Readonly<Record<string, Plain>>, {});
    if (typeof mark !== "number") return this.marked(mark, of);
    if (!this.made.has(mark)) this.make(mark);
    return this.made.get(mark);
  }

  /** What may name itself is known before its contents are read. */
  private make(place: number): void {
    const plain = this.shared[place] ?? null;
    const isObject = typeof plain === "object" && plain !== null;
    if (Array.isArray(plain)) {
      const list: unknown[] = [];
      this.made.set(place, list);
      this.list(plain, list);
    } else if (isObject && !("@" in plain)) {
      const object = {};
      this.made.set(place, object);
      this.object(plain as Readonly<Record<string, Plain>>, object);
    } else {
      this.made.set(place, this.value(plain));
    }
  }

  private marked(mark: string, of: Plain | undefined): unknown {
    switch (mark) {
      case "nothing":
        return undefined;
      case "number":
        return NUMBERS.get(String(of));
      case "set":
        return new Set(this.value(of ?? []) as unknown[]);
      case "map":
        return new Map(this.value(of ?? []) as [unknown, unknown][]);
      default:
        throw new NotCompiled(`This compiled machine holds "${mark}", which this engine does not know.`);
    }
  }

  private list(plain: readonly Plain[], list: unknown[]): unknown[] {
    for (const held of plain) list.push(this.value(held));
    return list;
  }

  private object(plain: Readonly<Record<string, Plain>>, object: Record<string, unknown>): Record<string, unknown> {
    for (const [key, held] of Object.entries(plain)) object[key] = this.value(held);
    return object;
  }
}
