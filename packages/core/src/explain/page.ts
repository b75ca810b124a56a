/** The page of a kind of message, as docs/messages holds it and `zany explain` shows it. */

import type { Kind } from "./kind.js";

/** The page in Markdown. */
export function pageOf(kind: Kind): string {
  const severity =
    kind.severity === "error"
      ? "An error: the machine does not run."
      : kind.severity === "warning"
        ? "A warning: the machine runs, but something is very likely wrong."
        : "A hint: it may well be meant so. Shown with `--hints=all`.";
  return `# ${kind.name}

${kind.title} ${severity}

${kind.about}

Triggers it:

\`\`\`zany
${kind.triggers}\`\`\`

Fixed:

\`\`\`zany
${kind.fixed}\`\`\`
`;
}
