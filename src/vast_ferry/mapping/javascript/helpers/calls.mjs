// What a call is told and answers: settings, secrets, the log, the time left; what is done and what comes again.
import { AsyncLocalStorage } from "node:async_hooks";
import { randomUUID } from "node:crypto";

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
  #sealed = new Set();

  constructor(holds, methods) {
    Object.assign(this, structuredClone(holds));
    for (const [name, { steps, ends }] of Object.entries(methods)) {
      const tell = (...given) => {
        if (this.#told) throw new AnsweredTwice(`${name} was called after ${this.#told}: the answer was out already`);
        for (const step of steps(...given)) this.#take(name, ...step);
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
    if (this.#sealed.has(property)) throw new Error(`${method} was called when ${property} could not be told any more`);
    const held = this[property];
    if (step === "seal") this.#sealed.add(property);
    else if (step === "putOver") {
      const other = ([name]) => String(name).toLowerCase() !== String(values[0]).toLowerCase();
      const kept = (Array.isArray(held) ? held : Object.entries(held ?? {})).filter(other);
      this[property] = Array.isArray(held) ? [...kept, values] : Object.fromEntries([...kept, values]);
    } else if (step === "set") [this[property]] = values;
    else if (step === "add") this[property] = [...held, ...values];
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

/** Thrown where a handler answers a second time. */
export class AnsweredTwice extends Error {
  name = "AnsweredTwice";
}
