// The program that a worker runs under Node: loads one handler and calls it, again and again, as its provider would.
//
// It talks with the worker over the descriptor that it is told, in frames: four bytes of length, then JSON, in which bytes stand as
// {"$bytes": Base64}. Services are behind that line too. Every message carries a mark that handlers never see.
import { createHash } from "node:crypto";
import { Session } from "node:inspector";
import { fstatSync, readFileSync } from "node:fs";
import { registerHooks, SourceMap, stripTypeScriptTypes } from "node:module";
import { Socket } from "node:net";
import { relative } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";

const line = new Socket({ fd: Number(process.argv.pop()), readable: true, writable: true });
const GRACE = 500; // milliseconds that are waited for what goes on after an answer
let mark = "";
let setup = null;
let waiting = null;
let pieces = [];
let size = 0;

function replaced(_, value) {
  if (value instanceof Uint8Array) return { $bytes: Buffer.from(value).toString("base64") };
  if (value?.type === "Buffer" && Array.isArray(value.data)) return { $bytes: Buffer.from(value.data).toString("base64") };
  if (typeof value === "bigint") return value <= Number.MAX_SAFE_INTEGER ? Number(value) : String(value);
  return value;
}

const ODD = Symbol("a value that has a way of its own to be JSON");

/** Give a plain value with what JSON has no way to say replaced: a call for each value costs more than all the rest. */
function plain(value) {
  if (typeof value === "bigint") return replaced("", value);
  if (typeof value !== "object" || value === null) return value;
  if (value instanceof Uint8Array) return replaced("", value);
  if (Array.isArray(value)) return value.map(plain);
  const kind = Object.getPrototypeOf(value);
  if ((kind !== Object.prototype && kind !== null) || typeof value.toJSON === "function") throw ODD;
  const made = {};
  for (const key of Object.keys(value)) {
    if (key === "__proto__") throw ODD;
    made[key] = plain(value[key]);
  }
  if (made.type === "Buffer") throw ODD;
  return made;
}

function textOf(message) {
  try {
    return JSON.stringify(plain(message));
  } catch {
    return JSON.stringify(message, replaced);
  }
}

function send(message) {
  const text = Buffer.from(textOf({ ...message, mark }));
  const head = Buffer.alloc(4);
  head.writeUInt32BE(text.length);
  line.write(Buffer.concat([head, text]));
}

function withBytes(value) {
  if (typeof value !== "object" || value === null) return value;
  if (typeof value.$bytes === "string") return Buffer.from(value.$bytes, "base64");
  for (const key of Object.keys(value)) value[key] = withBytes(value[key]);
  return value;
}

line.on("data", (piece) => {
  pieces.push(piece);
  size += piece.length;
  while (size >= 4) {
    const all = pieces.length === 1 ? pieces[0] : Buffer.concat(pieces);
    pieces = [all];
    const length = all.readUInt32BE(0);
    if (size < 4 + length) return;
    pieces = [all.subarray(4 + length)];
    size -= 4 + length;
    const text = all.subarray(4, 4 + length).toString("utf8");
    const message = JSON.parse(text);
    receive(text.includes("$bytes") ? withBytes(message) : message);
  }
});
line.on("close", () => process.reallyExit(0));

// --- services --------------------------------------------------------------------------------------------------------

let number = 0;
const asked = new Map();
const late = [];
let answered = false;

/** Ask the worker to do an operation, and give a promise of what that gives. */
function ask(operation, hub) {
  const place = placeOf(new Error("here"));
  if (answered) late.push(["does something after its answer", place]);
  number += 1;
  const own = number;
  return new Promise((resolve, reject) => {
    asked.set(own, { resolve, reject, place });
    send({ operate: operation, hub, number: own });
  });
}

const operate = new Proxy({}, { get: (_, operation) => (hub) => ask(String(operation), hub) });
globalThis[Symbol.for("stand-in services")] = operate;

/** Answer an outbound call from the sample; nothing leaves the machine. */
globalThis.fetch = async (input, init) => {
  const request = new Request(input, init);
  const body = Buffer.from(await request.arrayBuffer());
  const hub = { method: request.method, url: request.url, headers: [...request.headers], body };
  const answer = await ask("http.call", hub).catch((error) => {
    throw Object.assign(new TypeError("fetch failed"), { cause: error });
  });
  const status = answer.status ?? 200;
  return new Response([204, 205, 304].includes(status) ? null : (answer.body ?? null), { status, headers: answer.headers ?? [] });
};

// --- loading ---------------------------------------------------------------------------------------------------------

const SERVICES = 'export const operate = globalThis[Symbol.for("stand-in services")];';

function useStandIns() {
  const inFolder = (name) => pathToFileURL(`${setup.folder}/${name}.mjs`).href;
  const byFile = new Map(Object.keys(setup.modules).map((name) => [inFolder(name), name]));
  const sources = { ...setup.modules, services: SERVICES, driver: setup.driver };
  // Whoever requires a module gets the one that others import, or a class of it would be another.
  const module = (name, context) =>
    context.conditions.includes("require")
      ? { url: `stand-in-required:${name}`, format: "commonjs", shortCircuit: true }
      : { url: `stand-in:${name}`, format: "module", shortCircuit: true };
  registerHooks({
    resolve(specifier, context, next) {
      if (specifier.startsWith("stand-in:")) return { url: specifier, format: "module", shortCircuit: true };
      if (Object.hasOwn(setup.modules, specifier)) return module(specifier, context);
      const found = next(specifier, context);
      const own = byFile.get(found.url);
      return own ? module(own, context) : found;
    },
    load(url, context, next) {
      if (url.startsWith("stand-in-required:")) {
        const held = `globalThis[Symbol.for("stand-in modules")].get(${JSON.stringify(url.slice("stand-in-required:".length))})`;
        return { format: "commonjs", source: `module.exports = ${held};`, shortCircuit: true };
      }
      if (!url.startsWith("stand-in:")) return withCodeMade(url, context, next);
      return { format: "module", source: sources[url.slice("stand-in:".length)], shortCircuit: true };
    },
  });
}

// Files of which Node takes no types away, for they need code (an enum, a parameter that is a property): what was made of them.
const madeOf = new Map();

/** Load a file; where it needs code for its types, with that, as a build would make it. */
function withCodeMade(url, context, next) {
  let format = context.format;
  try {
    const loaded = next(url, context);
    if (!loaded.format?.endsWith("-typescript")) return loaded;
    format = loaded.format;
    stripTypeScriptTypes(String(loaded.source ?? readFileSync(fileURLToPath(url.split("?")[0]), "utf8")));
    return loaded;
  } catch (error) {
    if (error.code !== "ERR_UNSUPPORTED_TYPESCRIPT_SYNTAX") throw error;
  }
  const path = fileURLToPath(url.split("?")[0]);
  const source = stripTypeScriptTypes(readFileSync(path, "utf8"), { mode: "transform", sourceMap: true, sourceUrl: url });
  process.setSourceMapsEnabled(true);
  madeOf.set(path, source);
  // Neither its name nor its package says what it is: what it imports and exports does, as for Node.
  const told = format?.slice(0, -"-typescript".length) || (/^\s*(?:import|export)\b/m.test(source) ? "module" : "commonjs");
  return { format: told, source, shortCircuit: true };
}

let handler = null;
let calls = null;

// What of the project's files runs, as V8 counts it: ranges of characters, in functions and in the blocks of them.
let inspector = null;

function beginReach() {
  inspector = new Session();
  inspector.connect();
  inspector.post("Profiler.enable");
  inspector.post("Profiler.startPreciseCoverage", { callCount: true, detailed: true });
}

/** Return what gives the place in a file for one in the code that runs: another where code was made for its types. */
function placesIn(path) {
  const made = madeOf.get(path);
  if (made === undefined) return (offset) => offset;
  const text = readFileSync(path, "utf8");
  const map = new SourceMap(JSON.parse(Buffer.from(made.slice(made.lastIndexOf(",") + 1), "base64").toString("utf8")));
  const beginnings = (code) => [0, ...Array.from(code.matchAll(/\n/g), (found) => found.index + 1)];
  const there = beginnings(text);
  const here = beginnings(made);
  return (offset) => {
    const row = here.findLastIndex((start) => start <= offset);
    const entry = map.findEntry(row, offset - here[row]);
    if (entry.originalLine === undefined) return 0;
    const behind = entry.generatedLine === row ? offset - here[row] - entry.generatedColumn : 0;
    return Math.min(there[entry.originalLine] + entry.originalColumn + behind, text.length);
  };
}

const placesOf = new Map();

function reached() {
  const found = {};
  if (inspector === null) return found;
  inspector.post("Profiler.takePreciseCoverage", (error, told) => {
    for (const { url, functions } of error ? [] : told.result) {
      if (!url.startsWith("file://")) continue;
      const path = fileURLToPath(url.split("?")[0]);
      if (!path.startsWith(`${setup.folder}/`) || path.includes("/[eval")) continue;
      if (!placesOf.has(path)) placesOf.set(path, placesIn(path));
      const at = placesOf.get(path);
      found[relative(setup.folder, path)] = functions.map(({ ranges }) => ranges.map((one) => [at(one.startOffset), at(one.endOffset), one.count]));
    }
  });
  return found;
}

async function load() {
  if (setup.reach) beginReach();
  useStandIns();
  process.chdir(setup.folder);
  const modules = Object.keys(setup.modules).map(async (name) => [name, await import(`stand-in:${name}`)]);
  globalThis[Symbol.for("stand-in modules")] = new Map(await Promise.all(modules));
  calls = (await import("stand-in:driver")).CALLS;
  const module = await import(pathToFileURL(`${setup.folder}/${setup.file}`).href);
  handler = module[setup.name] ?? module.default?.[setup.name];
  if (typeof handler !== "function") {
    throw new TypeError(`${setup.file} exports ${handler === undefined ? "nothing" : "no function"} called ${setup.name}`);
  }
}

// --- failures --------------------------------------------------------------------------------------------------------

function framesOf(error) {
  const found = [];
  for (const text of String(error?.stack ?? "").split("\n").slice(1)) {
    const frame = /^\s*at (?:async )?(?:(.*?) \()?(file:\/\/[^)]*|\/[^)]*):(\d+):\d+\)?$/.exec(text);
    if (!frame) continue;
    const path = frame[2].startsWith("file:") ? fileURLToPath(frame[2].split("?")[0]) : frame[2];
    if (path.startsWith(`${setup.folder}/`) && !path.includes("/[eval")) found.push(`${relative(setup.folder, path)}:${frame[3]}${frame[1] ? ` in ${frame[1]}` : ""}`);
  }
  return found;
}

function placeOf(error) {
  return framesOf(error)[0]?.split(" in ")[0] ?? "";
}

function failureOf(error) {
  const thrown = error instanceof Error || typeof error?.message === "string";
  let message = thrown ? String(error.message) : String(error);
  if (message.length > 100_000) {
    const digest = createHash("sha256").update(message).digest("hex");
    message = `${message.slice(0, 100_000)}… (${message.length} characters, SHA-256 ${digest})`;
  }
  message = message.replaceAll(`${setup.folder}/`, "").replaceAll(setup.folder, ".");
  return { error: thrown ? String(error.name ?? "Error") : "thrown", message, trace: framesOf(error).join(" ← ") };
}

// --- calls -----------------------------------------------------------------------------------------------------------

/** Return a function that gives the same numbers from 0 to 1 for the same seed (mulberry32). */
function chance(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

const unseen = [];
process.on("unhandledRejection", (error) => {
  unseen.push([`leaves a promise that fails with nobody to see it (${error?.name ?? "thrown"})`, placeOf(error)]);
});
process.on("uncaughtException", (error) => {
  if (waiting) waiting(error);
  else unseen.push([`fails after its answer (${error?.name ?? "thrown"})`, placeOf(error)]);
});

function ofTheCall(request, logs) {
  const end = performance.now() + request.limit * 1000;
  return {
    function: setup.function,
    limit: request.limit,
    log: (text, more) => {
      const told = more && Object.keys(more).length ? `${text} ${JSON.stringify(more)}` : String(text);
      if (logs.length < 1000) logs.push(told);
    },
    secret: (name) => {
      if (Object.hasOwn(setup.secrets, name)) return setup.secrets[name];
      throw new RangeError(`secret ${name} is not declared`);
    },
    setting: (name, ...usual) => {
      const held = setup.apart ?? process.env;
      if (held[name] !== undefined) return held[name];
      if (usual.length) return usual[0];
      throw new RangeError(`the variable ${name} is not declared`);
    },
    time_left: () => Math.max(0, (end - performance.now()) / 1000),
  };
}

/** Tell how much was printed: what a call prints is told by it, for the next may run before that is read. */
function printed() {
  for (const end of [1, 2]) {
    try {
      return fstatSync(end).size;
    } catch {
      continue; // the handler closed it; the other leads to the same file
    }
  }
  return 0;
}

async function call(request) {
  const logs = [];
  const from = printed();
  unseen.length = late.length = 0;
  answered = false;
  Math.random = chance(request.seed);
  const more = ofTheCall(request, logs);
  const events = request.events.map((event) => ({ ...event, ...more }));
  const { call: deliver } = calls[request.kind];
  const before = new Set(timers.keys());
  const began = performance.now();
  let outcome;
  try {
    const failed = new Promise((_, reject) => { waiting = reject; });
    outcome = { answered: await Promise.race([deliver(handler, request.batch ? events : events[0]), failed]) };
  } catch (error) {
    outcome = { failed: failureOf(error) };
  }
  waiting = null;
  answered = true;
  const seconds = (performance.now() - began) / 1000;
  const spent = await goesOn(before);
  const told = [...unseen, ...late].filter(([, place]) => place);
  send({ ...outcome, reached: reached(), logs, spent, unseen: told, seconds, printed: [from, printed()] });
}

// A timer that a call starts and leaves is something that nobody waits for.
const timers = new Map();
for (const name of ["setTimeout", "setInterval"]) {
  const [start, clear] = [globalThis[name], globalThis[name.replace("set", "clear")]];
  globalThis[name] = (callback, delay, ...given) => {
    const fire = (...told) => {
      if (name === "setTimeout") timers.delete(made);
      return callback(...told);
    };
    const made = start(fire, delay, ...given);
    timers.set(made, placeOf(new Error("here")));
    return made;
  };
  globalThis[name.replace("set", "clear")] = (made) => {
    timers.delete(made);
    clear(made);
  };
}

/** Wait a little for what goes on after an answer; tell whether anything still does. */
async function goesOn(before) {
  await new Promise((resolve) => { setImmediate(resolve); });
  const left = [...timers].filter(([timer]) => !before.has(timer));
  for (const { place } of asked.values()) late.push(["answers before what it began has ended", place]);
  for (const [, place] of left) late.push(["leaves a timer that goes on after its answer", place]);
  const still = () => asked.size > 0 || left.some(([timer]) => timers.has(timer));
  const end = performance.now() + GRACE;
  while (still() && performance.now() < end) await new Promise((resolve) => { setImmediate(resolve); });
  return still();
}

let last = Promise.resolve();

async function receive(message) {
  if (message.answer !== undefined) {
    const own = asked.get(message.answer);
    asked.delete(message.answer);
    if (message.failed) own?.reject(Object.assign(new Error(message.failed.message), { name: message.failed.name }));
    else own?.resolve(message.value ?? null);
  } else if (setup === null) {
    setup = message;
    mark = message.secretMark;
    try {
      await load();
      send({ ready: true });
    } catch (error) {
      send({ failed: failureOf(error) });
    }
  } else {
    last = last.then(() => call(message)); // one after the other, however many have come
  }
}
