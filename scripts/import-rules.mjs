/** The rules: data flows one way, and the core knows nobody. */

const CORE_FOLDERS = ["language", "check", "engine", "logbook", "search"];

const oneWay = CORE_FOLDERS.map((folder, i) => ({
  name: `core-${folder}-imports-only-from-before`,
  severity: "error",
  from: { path: `^packages/core/src/${folder}/` },
  to: { path: `^packages/core/src/(${[...CORE_FOLDERS.slice(i + 1), "formats"].join("|")})/` },
}));

export default {
  forbidden: [
    ...oneWay,
    {
      name: "core-knows-nobody",
      severity: "error",
      from: { path: "^packages/core/" },
      to: { path: "^packages/(service|client|cli|console)/" },
    },
    {
      name: "core-has-no-node",
      severity: "error",
      from: { path: "^packages/core/src/" },
      to: { dependencyTypes: ["core"] },
    },
    {
      name: "client-knows-only-core",
      severity: "error",
      from: { path: "^packages/client/" },
      to: { path: "^packages/(service|cli|console)/" },
    },
    {
      name: "console-knows-no-service",
      severity: "error",
      from: { path: "^packages/console/" },
      to: { path: "^packages/(service|cli)/" },
    },
    {
      name: "service-knows-only-core-and-the-wire",
      severity: "error",
      from: { path: "^packages/service/" },
      to: { path: "^packages/(client|cli|console)/", pathNot: "^packages/client/src/api\\.ts$" },
    },
    {
      name: "no-circles",
      severity: "error",
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
  ],
};
