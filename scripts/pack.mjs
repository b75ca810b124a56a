/**
 * Makes the packages that games install, @zany/core and @zany/client: built JavaScript without anything to install
 * beside it, types, a readme, pages about what it exports, licences. They stand in dist/packages, as folders and as
 * the archives that `npm install` takes.
 */

import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { build } from "esbuild";
import { writeApiPages } from "./api-pages.mjs";

const OUT = "dist/packages";
const NAMES = ["core", "client"];

rmSync(OUT, { recursive: true, force: true });
for (const name of NAMES) await pack(name);

async function pack(name) {
  const folder = join(OUT, name);
  mkdirSync(folder, { recursive: true });
  const manifest = JSON.parse(readFileSync(`packages/${name}/package.json`, "utf8"));
  const doors = Object.entries(manifest.exports).map(([door, { default: source }]) => ({
    door,
    source: source.replace(/^\.\/src\//, "").replace(/\.ts$/, ""),
    built: door === "." ? "index" : door.slice(2),
  }));
  const { metafile } = await build({
    entryPoints: doors.map(({ source, built }) => ({ in: `packages/${name}/src/${source}.ts`, out: built })),
    outdir: folder,
    bundle: true,
    splitting: true,
    chunkNames: "parts/[name]-[hash]",
    format: "esm",
    platform: "neutral",
    mainFields: ["module", "main"],
    target: "es2022",
    conditions: ["@zany/source"],
    external: ["@zany/core"],
    legalComments: "inline",
    metafile: true,
  });
  const inside = licences(metafile);
  if (inside !== "") writeFileSync(join(folder, "LICENCES-OF-OTHERS.txt"), inside);
  types(name, folder);
  await writeApiPages(
    doors
      .map(({ source }) => `packages/${name}/src/${source}.ts`)
      .filter((file) => doors.length < 3 || !file.endsWith("/index.ts")),
    join(folder, "api"),
  );
  const exports = Object.fromEntries(
    doors.map(({ door, source, built }) => [door, { types: `./types/${source}.d.ts`, default: `./${built}.js` }]),
  );
  // What is built in need not be installed; the client's types mention the core's.
  const dependencies = name === "client" ? { "@zany/core": manifest.version } : undefined;
  const { devDependencies: _, ...kept } = manifest;
  writeFileSync(join(folder, "package.json"), JSON.stringify({ ...kept, exports, dependencies }, undefined, 2));
  cpSync(`packages/${name}/README.md`, join(folder, "README.md"));
  cpSync("LICENSE", join(folder, "LICENSE"));
  execFileSync("npm", ["pack", "--silent", "--pack-destination", ".."], { cwd: folder });
}

/** The declarations of a package; those of the client name @zany/core and are made after the core's. */
function types(name, folder) {
  const config = join(folder, "tsconfig.json");
  writeFileSync(
    config,
    JSON.stringify({
      extends: "../../../tsconfig.json",
      compilerOptions: {
        noEmit: false,
        declaration: true,
        emitDeclarationOnly: true,
        types: [],
        rootDir: `../../../packages/${name}/src`,
        outDir: "types",
        customConditions: [],
        paths: { "@zany/core": ["../core/types/index.d.ts"] },
      },
      include: [`../../../packages/${name}/src`],
    }),
  );
  execFileSync(process.execPath, ["node_modules/typescript/bin/tsc", "-p", config], { stdio: "inherit" });
  rmSync(config);
}

/** The licences of what others wrote and is built in. */
function licences({ inputs }) {
  const packages = new Set(
    Object.keys(inputs).flatMap((file) => /^node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(file)?.[1] ?? []),
  );
  return [...packages]
    .filter((name) => !name.startsWith("@zany/"))
    .map((name) => `${name}\n\n${readFileSync(`node_modules/${name}/LICENSE`, "utf8")}`)
    .join("\n\n");
}
