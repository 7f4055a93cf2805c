// What stands at a place of data: nothing and what is empty, words, names by which values are looked up.

/** Tell whether a value is neither nothing nor empty: no text, list, mapping or bytes without anything in it, no 0. */
export function isFilled(value) {
  if (value === null || value === undefined) return false;
  if (typeof value !== "object") return Boolean(value);
  if (Array.isArray(value) || ArrayBuffer.isView(value)) return value.length > 0;
  return Object.getPrototypeOf(value) !== Object.prototype || Object.keys(value).length > 0;
}

/** Return the text, or an empty one for nothing. */
export function textOrEmpty(text) {
  return text ?? "";
}

/** Return the text, or null where it is empty. */
export function textOrNull(text) {
  return text || null;
}

/** Return a mapping, or null where it is empty. */
export function mappingOrNull(mapping) {
  return isFilled(mapping) ? mapping : null;
}

/** Return a mapping, an empty one for nothing. */
export function mappingOrEmpty(mapping) {
  return mapping ?? {};
}

/** Return a record with its keys renamed, null for nothing; keys that `names` does not know are left out. */
export function renamed(record, names) {
  if (record === null || record === undefined) return null;
  const known = Object.entries(names).filter(([old]) => Object.hasOwn(record, old));
  return Object.fromEntries(known.map(([old, name]) => [name, record[old]]));
}

/** Return what stands for a word; throw with the words that are known. */
export function wordOf(words, word) {
  const known = words instanceof Map ? words : new Map(Object.entries(words));
  if (known.has(word ?? null)) return known.get(word ?? null);
  throw new RangeError(`${asShown(word)} is none of ${[...known.keys()].join(", ")}`);
}

/** Return what stands at a place that may not be there: items by their keys, properties by `.name`. */
export function gently(value, ...steps) {
  for (const step of steps) {
    if (value === null || value === undefined) return null;
    value = value[typeof step === "string" && step.startsWith(".") ? step.slice(1) : step];
  }
  return value ?? null;
}

/**
 * Return pairs that are looked up by name: `methods` names what gives the first, every and all of them.
 *
 * Names that are `folded` are told apart without their case, as those of header fields are.
 */
export function pairsByName(pairs, methods, folded) {
  const held = pairs.map(([name, value]) => [name, value]);
  const fold = (name) => (folded ? String(name).toLowerCase() : name);
  const found = (name) => held.filter(([own]) => fold(own) === fold(name)).map(([, value]) => value);
  const made = { *[Symbol.iterator]() { yield* held.map(([name, value]) => [name, value]); } };
  if (methods.first) made[methods.first] = (name, otherwise = null) => found(name)[0] ?? otherwise;
  if (methods.every) made[methods.every] = (name) => found(name);
  if (methods.all) made[methods.all] = () => held.map(([name, value]) => [name, value]);
  return made;
}

/** Return the identity of who called. */
export function idOf(principal) {
  return principal?.id || "";
}

/** Return the host of a pair of host and port. */
export function hostOfPair(pair) {
  return pair ? String(pair[0]) : "";
}

/** Return a pair of host and port, or nothing where there is no host. */
export function pairOfHost(host) {
  return host ? [host, 0] : null;
}

/** Return the word for whether it is known who called. */
export function whetherKnown(principal) {
  return principal == null ? "nobody" : "someone";
}

/** Return what is known of who called. */
export function claimsOf(principal) {
  return principal?.claims ?? {};
}

/** Return who called, null for nobody. */
export function principalOf(id, claims) {
  return id ? { id, claims: claims ?? {} } : null;
}

/** Return a principal's id, or an empty text for nobody. */
export function onlyId(record) {
  return isFilled(record) ? String(record.id ?? "") : "";
}

/** Return a principal of whom only the id is known, null for nobody. */
export function fromId(id) {
  return id ? { id, claims: {} } : null;
}

/** Return the text behind a fixed beginning; throw for a text that does not begin so. */
export function afterPrefix(text, beginning) {
  if (!text.startsWith(beginning)) throw new RangeError(`${JSON.stringify(text)} does not begin with ${beginning}`);
  return text.slice(beginning.length);
}
