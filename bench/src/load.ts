/** Programs under load: started, asked by many clients at once, and what it cost them. */

import { type ChildProcess, spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { Agent, request } from "node:http";

export interface Program {
  readonly address: string;
  readonly process: ChildProcess;
}

/** Starts a program and waits until it says where it is, by `words` with the address or the port in its first group. */
export async function started(args: readonly string[], words: RegExp): Promise<Program> {
  const child = spawn(process.execPath, args, { stdio: ["ignore", "pipe", "inherit"] });
  let said = "";
  const found = await new Promise<string>((resolve, reject) => {
    child.stdout.on("data", (chunk: Buffer) => {
      said += chunk.toString();
      const [, at] = words.exec(said) ?? [];
      if (at !== undefined) resolve(at);
    });
    child.once("exit", (code) => reject(new Error(`it ended with ${code}: ${said}`)));
  });
  return { address: found.startsWith("http") ? found : `http://127.0.0.1:${found}`, process: child };
}

export async function stopped({ process: child }: Program): Promise<void> {
  const ended = new Promise((resolve) => child.once("exit", resolve));
  child.kill("SIGTERM");
  await ended;
}

const agent = new Agent({ keepAlive: true, maxSockets: Infinity });

/** A request over a connection that is kept; lighter than `fetch`, so that the load costs less than what it loads. */
export function ask(
  address: string,
  method: string,
  path: string,
  body?: unknown,
  key?: string,
): Promise<{ readonly status: number; readonly text: string }> {
  const sent = body === undefined ? undefined : JSON.stringify(body);
  return new Promise((resolve, reject) => {
    const asked = request(
      address + path,
      {
        method,
        agent,
        headers: {
          ...(sent !== undefined && { "Content-Type": "application/json", "Content-Length": Buffer.byteLength(sent) }),
          ...(key !== undefined && { Authorization: `Bearer ${key}` }),
        },
      },
      (response) => {
        const pieces: Buffer[] = [];
        response.on("data", (piece: Buffer) => pieces.push(piece));
        response.on("end", () => resolve({ status: response.statusCode ?? 0, text: Buffer.concat(pieces).toString() }));
        response.on("error", reject);
      },
    );
    asked.on("error", reject);
    asked.end(sent);
  });
}

/**
 * What came of a load: answers a second, the slowest of a hundred in milliseconds, processor time an answer in
 * microseconds.
 */
export interface Loaded {
  readonly rate: number;
  readonly p99: number;
  readonly processor: number;
}

/** Lets many clients do something again and again for a while, each when it has its answer. */
export async function loaded(
  program: Program,
  clients: number,
  milliseconds: number,
  act: (client: number) => Promise<void>,
): Promise<Loaded> {
  const times: number[] = [];
  const pid = program.process.pid ?? 0;
  const before = processorTime(pid);
  const begun = performance.now();
  await Promise.all(
    Array.from({ length: clients }, async (_, client) => {
      while (performance.now() - begun < milliseconds) {
        const from = performance.now();
        await act(client);
        times.push(performance.now() - from);
      }
    }),
  );
  const took = performance.now() - begun;
  times.sort((a, b) => a - b);
  return {
    rate: (times.length / took) * 1000,
    p99: times[Math.floor(times.length * 0.99)] ?? 0,
    processor: ((processorTime(pid) - before) / times.length) * 1000,
  };
}

/** The processor time of a process so far, in milliseconds (proc(5), fields 14 and 15, in hundredths of a second). */
export function processorTime(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1]?.split(" ") ?? [];
  return (Number(fields[11]) + Number(fields[12])) * 10;
}

/** What a process has in memory, in bytes (proc(5)). */
export function memoryOf(pid: number): number {
  const [, kilobytes = "0"] = /^VmRSS:\s+(\d+) kB/m.exec(readFileSync(`/proc/${pid}/status`, "utf8")) ?? [];
  return Number(kilobytes) * 1024;
}
