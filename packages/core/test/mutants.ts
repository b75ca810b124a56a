/** Mechanical mistakes: a machine's text with one thing changed, of the kinds that programmers make. */

export interface Mutant {
  readonly kind: string;
  readonly line: number;
  readonly from: string;
  readonly to: string;
  readonly text: string;
}

interface Change {
  readonly at: number;
  readonly length: number;
  readonly text: string;
}

/**
 * All mutants of a machine: at most `most` of each kind, spread over the text. Laws, policies and tests stay as they
 * are.
 */
export function mutantsOf(text: string, most: number): Mutant[] {
  const body = text.slice(0, firstProof(text));
  const masked = mask(body);
  return Object.entries(KINDS).flatMap(([kind, find]) => {
    const changes = find(masked, body).filter((c) => body.slice(c.at, c.at + c.length) !== c.text);
    const step = Math.max(1, changes.length / most);
    const chosen = Array.from(
      { length: Math.min(most, changes.length) },
      (_, i) => changes[Math.floor(i * step)] as Change,
    );
    return chosen.map(
      (c): Mutant => ({
        kind,
        line: body.slice(0, c.at).split("\n").length,
        from: body.slice(c.at, c.at + c.length),
        to: c.text,
        text: text.slice(0, c.at) + c.text + text.slice(c.at + c.length),
      }),
    );
  });
}

function firstProof(text: string): number {
  const at = text.search(/^(law|policy|test) /m);
  return at < 0 ? text.length : at;
}

/** The same text with comments and texts in quotes blanked out, so that nothing is found in them. */
function mask(text: string): string {
  return text.replace(/\/\/[^\n]*|"[^"\n]*"/g, (found) => " ".repeat(found.length));
}

function each(
  masked: string,
  pattern: RegExp,
  change: (match: RegExpExecArray) => Change | Change[] | undefined,
): Change[] {
  return [...masked.matchAll(pattern)].flatMap((match) => change(match as RegExpExecArray) ?? []);
}

function statesOf(masked: string): string[] {
  return [...masked.matchAll(/\b(?:state|overlay|ending|final) (\w+)/g)].map((m) => m[1] as string);
}

const FLIPPED: Readonly<Record<string, string>> = {
  "<": ">=",
  ">=": "<",
  ">": "<=",
  "<=": ">",
  "==": "!=",
  "!=": "==",
};

const KINDS: Readonly<Record<string, (masked: string, body: string) => Change[]>> = {
  "drop an arrow": (m) =>
    each(m, /-> (?:again )?\w+(?:\([^()\n]*(?:\([^()\n]*\)[^()\n]*)*\))?/g, (x) => ({
      at: x.index,
      length: x[0].length,
      text: "",
    })),
  "swap two states": (m) => {
    const names = statesOf(m);
    return each(m, /-> (\w+)/g, (x) => {
      const at = names.indexOf(x[1] as string);
      const other = names[(at + 1) % names.length];
      return at < 0 || !other ? undefined : { at: x.index + 3, length: (x[1] as string).length, text: other };
    });
  },
  "misspell one use": (m) =>
    each(m, /(?<=[-+=([{:,] ?|\bof |\braise |\bin |\bon |\bnot )([a-z]\w{3,})\b(?! *:)/g, (x) => {
      const word = x[1] as string;
      return /^(true|false|none|seats|inPlay|others|when|else|then|next|some|stay|again|return|choose|odds|start|state|action|enter|exit|after|every|turn|data|roll|pick|chance|shuffle|filter|count|sort|sortDown|minBy|maxBy|note|raise|retire|hidden|private|list|grid|bool|text|seat|cell|each|anyone|where|needs|acted|type|sealed|floor|ceil|nearest|case|with|weighted)$/.test(
        word,
      )
        ? undefined
        : { at: x.index, length: word.length, text: `${word.slice(0, -2)}${word.at(-1)}${word.at(-2)}` };
    }),
  "flip a comparison": (m) =>
    each(m, /(?<= )(<=|>=|==|!=|<|>)(?= )/g, (x) => ({
      at: x.index,
      length: x[0].length,
      text: FLIPPED[x[0]] as string,
    })),
  "remove a clear": (m) =>
    each(
      m,
      /(?<=[{\s])(?:(?:\w+(?:\[[^\]]*\])?(?:\.\w+)?)(?: = (?:false|none|0)\b|\.clear\(\)|\.take\(\))|retire \w+)/g,
      (x) => ({ at: x.index, length: x[0].length, text: "" }),
    ),
  "swap two branches": (m, body) =>
    each(m, /^( *)(when [^\n]*->[^\n]*)\n\1(when [^\n]*->[^\n]*)$/gm, (x) => {
      const start = x.index + (x[1] as string).length;
      const second = start + (x[2] as string).length + 1 + (x[1] as string).length;
      const [one, two] = [
        body.slice(start, start + (x[2] as string).length),
        body.slice(second, second + (x[3] as string).length),
      ];
      return {
        at: start,
        length: second - start + two.length,
        text: `${two.replace(/\s*\/\/.*$/, "")}\n${x[1]}${one.replace(/\s*\/\/.*$/, "")}`,
      };
    }),
  "drop an else": (m) =>
    each(m, /^ *else(?: +->| +\{)[^\n]*$/gm, (x) =>
      /\{\s*$/.test(x[0]) ? undefined : { at: x.index, length: x[0].length, text: "" },
    ),
  "loosen a bound": (m) => [
    ...each(m, /int (\d+)\.\.(\d+)/g, (x) => ({
      at: x.index,
      length: x[0].length,
      text: `int ${Number(x[1]) - 5}..${Number(x[2]) + 5}`,
    })),
    ...each(m, /max\(\d+, /g, (x) => ({ at: x.index, length: x[0].length, text: "max(-9, " })),
    ...each(m, /min\(\d+, /g, (x) => ({ at: x.index, length: x[0].length, text: "min(99, " })),
  ],
  "reveal a secret": (m) => [
    ...each(m, /\b(?:private|hidden|sealed) /g, (x) => ({ at: x.index, length: x[0].length, text: "" })),
    ...each(m, /note to \w+ /g, (x) => ({ at: x.index, length: x[0].length, text: "note " })),
  ],
};
