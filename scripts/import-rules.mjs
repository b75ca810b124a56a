/** The rules: data flows one way, the core knows nobody, and nothing goes round in a circle. Types count. */

/** The rooms of the core, each importing only from those before it. */
export const CORE_ROOMS = [
  "language",
  "explain",
  "check",
  "engine/values",
  "engine/situation",
  "engine/code",
  "engine/steps",
  "engine/matches",
  "logbook",
  "search",
  "formats",
  "compile.ts",
  "editing",
  "local",
  "review",
  "maps",
  "explore",
  "evidence",
  "coverage",
  "long-work",
];

const oneWay = CORE_ROOMS.slice(0, -1).map((room, i) => ({
  name: `core-${room.replace("/", "-")}-imports-only-from-before`,
  severity: "error",
  from: { path: `^packages/core/src/${room}` },
  to: { path: `^packages/core/src/(${CORE_ROOMS.slice(i + 1).join("|")})` },
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
      from: { path: "^packages/service/src/" },
      to: { path: "^packages/(client|cli|console)/", pathNot: "^packages/client/src/api\\.ts$" },
    },
    { name: "no-circles", severity: "error", from: {}, to: { circular: true } },
  ],
};
