// What a call is told and answers: settings, secrets, the log, the time left; what is done and what comes again.
import { AsyncLocalStorage } from "node:async_hooks";
import { randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";

/** Return an identity that no other event has. */
export function newId() {
  return randomUUID().replaceAll("-", "");
}

/** Return what tells the seconds that are left of `limit`, counted from now. */
export function clockFrom(limit) {
  const end = performance.now() + limit * 1000;
  return () => Math.max(0, (end - performance.now()) / 1000);
}

/** Return a line of a log: the text, and what came with it as JSON. */
export function lineOf(text, more) {
  return isFilled(more) ? `${text} ${JSON.stringify(more)}` : String(text);
}

/** Write a line to the log. */
export function logLine(text, more) {
  console.error(lineOf(text, more));
}

/** Return what writes a line to a log that takes text only. */
export function textLog(write) {
  return (text, more) => write(lineOf(text, more));
}

/** Return a secret from the environment variable of its name. */
export function secretFromEnvironment(name) {
  if (process.env[name] !== undefined) return process.env[name];
  throw new RangeError(`secret ${name}: set the environment variable ${name}`);
}

/** Return a variable's value, or what is usual; throw where neither is told. */
export function settingOf(name, ...usual) {
  if (process.env[name] !== undefined) return process.env[name];
  if (usual.length) return usual[0];
  throw new RangeError(`setting ${name}: set the environment variable ${name}`);
}

/** Thrown where a handler said that an event shall be delivered again, and there is no other way to tell. */
export class DeliverAgain extends Error {
  name = "DeliverAgain";
}

/** Return what a handler said; throw where events shall be delivered again. */
export function settled(done) {
  if (done.again.length) throw new DeliverAgain(done.again.join(", "));
  return done;
}

/** Print an error that is dealt with: the event will come again, and someone will want to know why. */
export function noteFailure(error) {
  console.error(error);
}

/** What the handlers that are running were called with, each its own. */
export const HOST = new AsyncLocalStorage();

/** Return what a kind of value is called in a message. */
export function kindOf(value) {
  return value === null ? "null" : (value?.constructor?.name ?? typeof value);
}

/** Tell whether a value is a mapping: an object of no class. */
export function isMapping(value) {
  if (value === null || typeof value !== "object") return false;
  const above = Object.getPrototypeOf(value);
  return above === null || Object.getPrototypeOf(above) === null;
}

/**
 * What a handler answers through: its methods take steps on its properties, and give it back for the next call.
 *
 * A method that `ends` may be called once: a handler that answers twice is wrong, whatever it says the second time.
 */
export class Answering {
  #end;
  #ended = new Promise((resolve) => { this.#end = resolve; });
  #told = "";
  #called = false;
  #sealed = new Set();

  constructor(holds, methods) {
    Object.assign(this, structuredClone(holds));
    for (const [name, { steps, ends }] of Object.entries(methods)) {
      const tell = (...given) => {
        if (this.#told) throw new AnsweredTwice(`${name} was called after ${this.#told}: the answer was out already`);
        for (const step of steps(...given)) this.#take(name, ...step);
        this.#called = true;
        if (ends) {
          this.#told = name;
          this.#end();
        }
        return this;
      };
      Object.defineProperty(this, name, { value: tell, enumerable: false });
    }
  }

  #take(method, step, property, ...values) {
    if (step === "first") {
      if (this.#called) throw new property();
      return;
    }
    if (step === "only") {
      const [value, kind] = values;
      const good = kind === "bytes" ? value instanceof Uint8Array : typeof value === { text: "string", number: "number" }[kind];
      if (!good) throw new TypeError(`${property} can't be ${kindOf(value)}`);
      return;
    }
    if (this.#sealed.has(property)) throw new Error(`${method} was called when ${property} could not be told any more`);
    const held = this[property];
    if (step === "seal") this.#sealed.add(property);
    else if (step === "putOver") {
      const other = ([name]) => String(name).toLowerCase() !== String(values[0]).toLowerCase();
      const kept = (Array.isArray(held) ? held : Object.entries(held ?? {})).filter(other);
      this[property] = Array.isArray(held) ? [...kept, values] : Object.fromEntries([...kept, values]);
    } else if (step === "set") [this[property]] = values;
    else if (step === "add" && Array.isArray(held)) this[property] = [...held, ...values];
    else if (step === "add") this[property] = typeof held === "string" ? held + values[0] : Buffer.concat([held, ...values]);
    else this[property] = Array.isArray(held) ? [...held, values] : { ...held, [values[0]]: values[1] };
  }

  /** Return a promise that is kept when the answer is out. */
  static ended(one) {
    return one.#ended;
  }

  /** Return what was answered: through this, or what the handler returned where nothing was told here. */
  static answer(one, returned) {
    return one.#told !== "" || returned === undefined ? one : returned;
  }
}

/** Return what gives content that can be read once, and refuses to do so again. */
export function onceOnly(read) {
  let done = false;
  return async () => {
    if (done) throw new TypeError("Body is unusable: Body has already been read");
    done = true;
    return read();
  };
}

/** Return what stands for two objects: what the first has not is the second's, and is set there. */
export function both(first, second) {
  const holder = (key) => (key in first || !(key in second) ? first : second);
  return new Proxy(first, {
    get: (_, key) => {
      const held = holder(key)[key];
      return typeof held === "function" ? (...given) => Reflect.apply(held, holder(key), given) : held;
    },
    set: (_, key, value) => {
      holder(key)[key] = value;
      return true;
    },
    has: (_, key) => key in first || key in second,
  });
}

/** Thrown where a handler answers a second time. */
export class AnsweredTwice extends Error {
  name = "AnsweredTwice";
}

/** What is handed over with the calls that are running, and the objects of classes that handle them. */
export const OF_THIS_CALL = new AsyncLocalStorage();

/** The one object of each class that handles events. */
export const HANDLERS = new WeakMap();

/** Return what stands at a place of what was handed over with the call that is running, whichever that is. */
export function ofThisCall(at) {
  const now = () => OF_THIS_CALL.getStore()[at];
  const get = (_, name) => (typeof now()[name] === "function" ? (...given) => now()[name](...given) : now()[name]);
  return new Proxy({}, { get });
}

/** Call the method that handles events of the one object of a class, which is set up before all else. */
export function methodOf(handler, method, setup, told, ...given) {
  const made = async () => {
    const own = new handler();
    if (typeof own[setup] === "function") await own[setup](...told.map((_, at) => ofThisCall(at)));
    return own;
  };
  return OF_THIS_CALL.run(told, async () => {
    if (!HANDLERS.has(handler)) HANDLERS.set(handler, made());
    return (await HANDLERS.get(handler))[method](...given);
  });
}

/**
 * Return what a call on a service gives until the whole call is made: it knows what was told so far.
 *
 * `ways` are [steps, function]: a step is ["attr", name] or ["call", must, may, rest]. What must be given is
 * ["given", name], or ["text", before, name, after], a text in which a name may stand; what may be is [name, default], in
 * an object at the end; `rest` names all else in that. The function gets what was told by its names.
 */
export function chained(ways, at = 0, told = {}) {
  const attribute = (_, name) => {
    const fits = ways.filter(([steps]) => steps[at]?.[0] === "attr" && steps[at][1] === name);
    if (fits.length) return chained(fits, at + 1, told);
    if (name === "then" || typeof name === "symbol") return undefined; // somebody asks whether this is a promise
    throw new TypeError(`${name}: the provider's profile knows no such call`);
  };
  const call = (_, __, given) => {
    const bound = ways.map(([steps, made]) => [steps, made, steps[at]?.[0] === "call" ? boundTo(steps[at], given) : null]);
    const fits = bound.filter(([, , more]) => more !== null);
    const whole = fits.find(([steps]) => steps.length === at + 1);
    if (whole) return whole[1]({ ...told, ...whole[2] });
    if (!fits.length) throw new TypeError(`no call of the provider takes ${given.length} arguments here`);
    return chained(fits.map(([steps, made]) => [steps, made]), at + 1, { ...told, ...fits[0][2] });
  };
  return new Proxy(() => {}, { get: attribute, apply: call });
}

/** Return what arguments tell of the parameters of one step, by name; null where they don't fit. */
export function boundTo([, must, may, rest], given) {
  if (given.length < must.length || given.length > must.length + (may.length || rest ? 1 : 0)) return null;
  const told = {};
  for (const [at, [kind, ...about]] of must.entries()) {
    const value = given[at];
    if (kind === "given") told[about[0]] = value;
    else {
      const [before, name, after] = about;
      const inside = typeof value === "string" ? value.slice(before.length, value.length - after.length) : "";
      if (value !== `${before}${inside}${after}` || Boolean(inside) !== Boolean(name)) return null;
      if (name) told[name] = inside;
    }
  }
  const named = { ...(given[must.length] ?? {}) };
  for (const [name, usual] of may) {
    told[name] = named[name] === undefined ? usual : named[name];
    delete named[name];
  }
  if (!rest && Object.keys(named).length) return null;
  return rest ? { ...told, [rest]: named } : told;
}

/** Return what a method that adds is called with, one after the other: each of a list, or all of what is filled. */
export function eachToAdd(held) {
  return Array.isArray(held) ? held : held?.length ? [held] : [];
}

/** Return the pairs of a mapping, or those that are listed. */
export function asPairsThere(held) {
  return Array.isArray(held) ? held : Object.entries(held ?? {});
}

/** Return a secret from the file whose path the environment variable of its name holds. */
export function secretFromFile(name) {
  return readFileSync(secretFromEnvironment(name), "utf8");
}

/** Return a secret by its name. */
export function secretOf(name) {
  return secretFromEnvironment(name);
}

/** Return the variables as properties and by `get`; where they are `typed`, numbers and booleans are what they say. */
export function settingsOf(typed = false) {
  const read = (name, usual = null) => {
    const value = process.env[name];
    if (value === undefined) return usual;
    return typed && /^(?:true|false|-?\d+(?:\.\d+)?)$/.test(value) ? JSON.parse(value) : value;
  };
  const get = (_, name) => {
    if (name === "get") return read;
    if (typeof name === "symbol" || name === "then") return undefined;
    if (process.env[name] === undefined) throw new RangeError(`setting ${name}: set the environment variable ${name}`);
    return read(name);
  };
  return new Proxy({}, { get });
}
