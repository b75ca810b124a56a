/** `zany outline`: states, actions and data, one line each. */

import { type OutlineItem, outlineOf } from "@zany/core";
import { compileFile } from "../files.js";
import { say, sayJson, style } from "../terminal.js";
import { understood } from "./understood.js";

export async function outline(file: string, options: { readonly json?: boolean }): Promise<number> {
  const compilation = compileFile(file, { errorsOnly: true });
  if (!understood(compilation, file)) return 1;
  const { machine, sources } = compilation;
  const items = outlineOf(machine);
  if (options.json) {
    const plain = ({ span: _span, nameSpan, children, ...item }: OutlineItem): unknown => ({
      ...item,
      ...sources.place(nameSpan.from),
      children: children.map(plain),
    });
    sayJson(items.map(plain));
    return 0;
  }
  const width = String(sources.files[0]?.text.split("\n").length ?? 0).length;
  const show = (item: OutlineItem, depth: number): void => {
    const { file: at, line } = sources.place(item.nameSpan.from);
    const place = at === sources.files[0]?.name ? String(line).padStart(width) : `${at}:${line}`;
    const doc = item.doc === undefined ? "" : `  ${item.doc.split("\n")[0]}`;
    say(
      `${style("dim", place)}  ${"  ".repeat(depth)}${style("dim", item.kind)} ${style("bold", item.name)}` +
        `${item.detail === "" ? "" : ` ${item.detail}`}${style("dim", doc)}`,
    );
    for (const child of item.children) show(child, depth + 1);
  };
  for (const item of items) show(item, 0);
  return 0;
}
