// Batches: of several levels, put together and taken apart; what a handler says of the events in one.
import { isDeepStrictEqual } from "node:util";

/**
 * Return the batches that events make, each of which is a mapping of what stands on the way to it by name.
 *
 * A level is [root, steps, item, key, index, name, encode]: at `steps` from what is called `root` stands a list, or a
 * mapping by `key`, of what is called `item`; or what is called `name`, encoded. Steps are items, properties as `.name`.
 * Events next to each other that share all that stands above a list are put into one; those of one key come together.
 */
export function packed(entries, root, levels) {
  const groups = runsOf(entries, [root]).flatMap((run) => eachKeyOnce(run, levels));
  return groups.map((group) => levelFilled({ [root]: {}, ...group[0] }, group, root, levels)[root]);
}

/** Return the only batch that events make; throw where the provider hands them over in several. */
export function oneBatch(batches) {
  if (batches.length === 1) return batches[0];
  throw new RangeError(`these events come in ${batches.length} batches`);
}

/** Return entries next to each other that have the same under each of some names. */
export function runsOf(entries, names) {
  const runs = [];
  for (const entry of entries) {
    const last = runs.at(-1)?.[0];
    if (last && names.every((name) => isDeepStrictEqual(last[name], entry[name]))) runs.at(-1).push(entry);
    else runs.push([entry]);
  }
  return runs;
}

/** Return entries in as many batches as it takes, where each stands under a key of its own: two can't share one. */
export function eachKeyOnce(entries, levels) {
  if (!levels.filter(([, , item]) => item).at(-1)[3]) return [entries];
  const keys = levels.map(([, , , key]) => key).filter(Boolean);
  const batches = [];
  let seen = new Set();
  for (const entry of entries) {
    const names = JSON.stringify(keys.map((key) => entry[key]));
    if (!batches.length || seen.has(names)) {
      batches.push([]);
      seen = new Set();
    }
    batches.at(-1).push(entry);
    seen.add(names);
  }
  return batches;
}

/** Return what is called something, with what stands below it put in. */
export function levelFilled(above, entries, root, levels) {
  if (!levels.length) return above;
  const [[at, steps, item, key, , name, encode], ...rest] = levels;
  if (name) {
    const inner = levelFilled({ ...above, [name]: above[name] ?? null }, entries, root, rest);
    return putAt(inner, at, steps, encode(inner[name]));
  }
  // Above the next list everything is shared; an event by itself is never one with its neighbour.
  const names = [item, ...rest.map((one) => one[5]).filter(Boolean)];
  let groups = entries.map((entry) => [entry]);
  if (rest.some((one) => one[2])) {
    groups = key ? groupedBy(entries, key) : runsOf(entries, names);
  }
  const made = groups.map((group) => {
    const own = Object.hasOwn(above, at) ? { [at]: above[at] } : {};
    const inner = levelFilled({ ...above, ...group[0], ...own }, group, root, rest);
    return [key ? group[0][key] : null, inner[item]];
  });
  return putAt(above, at, steps, key ? Object.fromEntries(made) : made.map(([, one]) => one));
}

/** Return entries in groups of those that have the same under a key. */
export function groupedBy(entries, key) {
  const groups = new Map();
  for (const entry of entries) groups.set(entry[key], [...(groups.get(entry[key]) ?? []), entry]);
  return [...groups.values()];
}

/** Return what is called something with a value at a place of it. */
export function putAt(above, at, steps, value) {
  if (!steps.length) return { ...above, [at]: value };
  const own = isMapping(above[at] ?? {}) ? { ...above, [at]: { ...above[at] } } : above;
  const names = steps.map((step) => (typeof step === "string" && step.startsWith(".") ? step.slice(1) : step));
  const inside = names.slice(0, -1).reduce((held, step) => held[step], own[at]);
  inside[names.at(-1)] = value;
  return own;
}

/**
 * Return what a handler said is done, with the ids of all events that come again.
 *
 * `told` has, for each event of the batch in its order, by what it is named, its id and its group.
 */
export function againOf(done, told, extent) {
  const named = new Set(done.again);
  const again = [];
  const groups = new Set();
  let found = false;
  for (const [name, id, group] of told) {
    const hit = named.has(name);
    found ||= hit;
    if (hit && group) groups.add(group);
    if (hit || (extent === "rest" && found) || (extent === "group" && groups.has(group))) again.push(id);
  }
  return { ...done, again: extent === "all" && found ? told.map(([, id]) => id) : again };
}

/** Return the entries of a batch, each with its number in it. */
export function numbered(entries, index) {
  entries.forEach((entry, number) => {
    entry[index] = number;
  });
  return entries;
}

/** Return what is done with what comes again as a provider names it; `told` has name, id and group of each event. */
export function namedAgain(done, told) {
  const names = new Map(told.map(([name, id]) => [id, name]));
  return { ...done, again: [...new Set(done.again.filter((id) => names.has(id)).map((id) => names.get(id)))] };
}

/** Tell each event that shall come again so, by a method of its own; nothing is left to be said of them. */
export function toldAgain(done, events, method) {
  for (const [event, id] of events) if (done.again.includes(id)) event[method]();
  return { ...done, again: [] };
}

/** Where an event keeps what a handler said became of it. */
export const WHAT_BECAME = Symbol("what became of it");

/** Return an event with methods by which a handler says what became of it; `verbs` has what each says. */
export function toldBy(event, verbs) {
  const said = [];
  const methods = Object.entries(verbs).map(([name, verb]) => [name, { value: () => { said.push(verb); } }]);
  return Object.defineProperties(event, { ...Object.fromEntries(methods), [WHAT_BECAME]: { value: said } });
}

/**
 * Return which events come again, of what a handler said of each (the last counts) and whether it failed.
 *
 * An event of which nothing was said is done where the handler returned, and comes again where it threw.
 */
export function toldApart(told, failed) {
  const said = told.map(([event, id]) => [event[WHAT_BECAME].at(-1), id]);
  if (failed !== null && said.every(([word]) => word === undefined)) throw failed;
  const again = said.filter(([word]) => (word ?? (failed !== null ? "again" : "done")) === "again");
  return { value: null, again: again.map(([, id]) => id) };
}
