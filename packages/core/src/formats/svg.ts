/** SVG as plain data: shapes, the colours of a file that is opened anywhere, and the file itself. */

/** One SVG element. */
export interface Shape {
  readonly element: "g" | "rect" | "circle" | "path" | "text" | "title";
  readonly attributes: Readonly<Record<string, string | number>>;
  readonly text?: string;
  readonly children?: readonly Shape[];
  /** The state or ending it stands for. */
  readonly node?: string;
  /** Set for one that can be folded or unfolded. */
  readonly foldable?: boolean;
}

/** Colours by what they are for, in any form that SVG understands. */
export interface Palette {
  readonly ink: string;
  readonly soft: string;
  readonly line: string;
  readonly panel: string;
  readonly cloth: string;
  readonly sunken: string;
  readonly sea: string;
  readonly seaWash: string;
  readonly sail: string;
  readonly sailWash: string;
  readonly good: string;
  readonly bad: string;
}

/** Plain colours for a file that is opened anywhere. */
export const PAPER: Palette = {
  ink: "#1c2b2d",
  soft: "#5b6670",
  line: "#b9b09a",
  panel: "#fffef8",
  cloth: "#f5f2ea",
  sunken: "#ece7db",
  sea: "#0c5f63",
  seaWash: "#dcebea",
  sail: "#b8501c",
  sailWash: "#fbe9dc",
  good: "#2d7a46",
  bad: "#b3382c",
};

/** A whole SVG file. @param title what it shows, for who cannot see it */
export function svgFile(
  title: string,
  { width, height }: { readonly width: number; readonly height: number },
  shapes: readonly Shape[],
): string {
  const write = ({ element, attributes, text, children }: Shape): string => {
    const written = Object.entries(attributes)
      .map(([name, value]) => ` ${name}="${escaped(String(typeof value === "number" ? rounded(value) : value))}"`)
      .join("");
    return `<${element}${written}>${escaped(text ?? "")}${(children ?? []).map(write).join("")}</${element}>`;
  };
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 ` +
    `0 ${width} ${height}" font-family="sans-serif" font-size="12">
<title>${escaped(title)}</title>
<rect width="100%" height="100%" fill="${PAPER.panel}"/>
${shapes.map(write).join("\n")}
</svg>
`
  );
}

/** A coordinate with one digit behind the point. */
export function rounded(n: number): number {
  return Math.round(n * 10) / 10;
}

function escaped(text: string): string {
  return text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll('"', "&quot;");
}
