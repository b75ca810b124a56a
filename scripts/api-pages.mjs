/** The pages about what a package exports, from the doc comments: Markdown, one page a door. */

import { Application } from "typedoc";

/**
 * Writes the pages.
 *
 * @param entryPoints the files behind the doors
 * @param folder where the pages go
 */
export async function writeApiPages(entryPoints, folder) {
  const app = await Application.bootstrapWithPlugins({
    entryPoints,
    plugin: ["typedoc-plugin-markdown"],
    tsconfig: "tsconfig.json",
    readme: "none",
    disableSources: true,
    excludePrivate: true,
    excludeExternals: true,
    skipErrorChecking: true,
    router: "module",
    hidePageHeader: true,
    hideBreadcrumbs: true,
    useCodeBlocks: true,
    entryFileName: "README",
    parametersFormat: "table",
    interfacePropertiesFormat: "table",
    classPropertiesFormat: "table",
    typeDeclarationFormat: "table",
    validation: false,
    logLevel: "Error",
    outputs: [{ name: "markdown", path: folder }],
  });
  const project = await app.convert();
  if (project === undefined) throw new Error("The API pages cannot be made: the types do not hold.");
  await app.generateOutputs(project);
}
