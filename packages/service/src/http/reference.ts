/** The OpenAPI document as a page for people: every operation, what it takes and how it answers. */

import { Router } from "express";
import openapi from "./openapi.json" with { type: "json" };
import { escaped, page } from "./problem-pages.js";

interface Schema {
  readonly $ref?: string;
  readonly type?: string | readonly string[];
  readonly items?: Schema;
  readonly enum?: readonly unknown[];
  readonly description?: string;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
}

type Content = Readonly<Record<string, { readonly schema: Schema }>>;

interface Described {
  readonly operationId: string;
  readonly summary: string;
  readonly description: string;
  readonly parameters?: readonly { readonly name: string; readonly in: string; readonly schema: Schema }[];
  readonly requestBody?: { readonly content: Content };
  readonly responses: Readonly<Record<string, { readonly description: string; readonly content?: Content }>>;
}

/** Made once: it only changes with the program. */
let made: string | undefined;

export function referencePage(): Router {
  const router = Router();
  router.get("/", (_request, response) => {
    made ??= page("The service over HTTP", body());
    response.type("html").send(made);
  });
  return router;
}

function body(): string {
  const { paths, components } = openapi as unknown as {
    readonly paths: Readonly<Record<string, Readonly<Record<string, Described>>>>;
    readonly components: { readonly schemas: Readonly<Record<string, Schema>> };
  };
  const operations = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, described]) => operation(method, path, described)),
  );
  const schemas = Object.entries(components.schemas).map(
    ([name, schema]) => `<h3 id="${name}">${name}</h3>${described(schema)}${members(schema)}`,
  );
  return (
    `<p>Made of <a href="/api/openapi.json">/api/openapi.json</a>. ` +
    "A key goes in <code>Authorization: Bearer KEY</code>. " +
    `What is refused is answered with a <a href="/problems">problem</a>.</p>` +
    `<h2>Operations</h2>${operations.join("")}<h2>What is sent and answered</h2>${schemas.join("")}`
  );
}

function operation(method: string, path: string, told: Described): string {
  const query = (told.parameters ?? []).filter((parameter) => parameter.in === "query");
  const parameters = query.map(({ name, schema }) => `<code>${name}</code> ${typeOf(schema)}`).join(", ");
  const takes = contents(told.requestBody?.content);
  const answers = Object.entries(told.responses).map(
    ([status, { description, content }]) =>
      `<li><code>${status}</code> ${Number(status) < 300 ? contents(content) || "nothing" : text(description)}</li>`,
  );
  return (
    `<h3 id="${told.operationId}"><code>${method.toUpperCase()} ${escaped(path)}</code></h3>` +
    `<p>${text(told.summary)} ${text(told.description)}</p>` +
    (parameters === "" ? "" : `<p>Parameters: ${parameters}</p>`) +
    (takes === "" ? "" : `<div>Takes ${takes}</div>`) +
    `<ul>${answers.join("")}</ul>`
  );
}

function contents(content: Content | undefined): string {
  return Object.entries(content ?? {})
    .map(([type, { schema }]) => (type === "application/json" ? members(schema) || typeOf(schema) : type))
    .join(" or ");
}

function members({ properties, required = [] }: Schema): string {
  if (properties === undefined) return "";
  const rows = Object.entries(properties).map(
    ([name, schema]) =>
      `<tr><td><code>${name}</code>${required.includes(name) ? "" : "?"}</td><td>${typeOf(schema)}</td>` +
      `${schema.description === undefined ? "" : `<td>${text(schema.description)}</td>`}</tr>`,
  );
  return rows.length === 0 ? "" : `<table>${rows.join("")}</table>`;
}

function described({ description, properties, ...schema }: Schema): string {
  const type = properties === undefined ? `<p>${typeOf(schema)}</p>` : "";
  return `${description === undefined ? "" : `<p>${text(description)}</p>`}${type}`;
}

/** Words with their code spans. */
function text(words: string): string {
  return escaped(words).replace(/`([^`]+)`/g, "<code>$1</code>");
}

function typeOf(schema: Schema): string {
  const name = schema.$ref?.split("/").at(-1);
  if (name !== undefined) return `<a href="#${name}">${name}</a>`;
  if (schema.enum) return schema.enum.map((value) => `<code>${escaped(JSON.stringify(value))}</code>`).join(" or ");
  if (schema.items) return `list of ${typeOf(schema.items)}`;
  return escaped([schema.type ?? "anything"].flat().join(" or "));
}
