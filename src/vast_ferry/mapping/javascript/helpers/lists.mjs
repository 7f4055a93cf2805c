// Pairs, texts and records in whatever form a provider lists them: words, records, columns, rows, lists side by side.
import { isDeepStrictEqual } from "node:util";

/** Return a value as a message shows it. */
export function asShown(value) {
  const text = typeof value === "bigint" ? String(value) : (JSON.stringify(value) ?? String(value));
  return text.length > 60 ? `${text.slice(0, 57)}…` : text;
}

/** Return a value that is a text, or throw. */
export function someText(value) {
  if (typeof value === "string") return value;
  throw new RangeError(`${asShown(value)} is no text`);
}

/** Return a value that is a list of texts, or throw; `what` it is said to be no list of. */
export function someTexts(value, what = "texts") {
  if (Array.isArray(value) && value.every((one) => typeof one === "string")) return value;
  throw new RangeError(`${asShown(value)} is no list of ${what}`);
}

/** Return what stands before a mark and behind it; nothing behind where there is none. */
export function partedAt(text, mark) {
  const at = mark ? text.indexOf(mark) : -1;
  return at < 0 ? [text, null] : [text.slice(0, at), text.slice(at + mark.length)];
}

/** Return what stands under a key of a mapping; throw where nothing does. */
export function heldUnder(mapping, key) {
  if (mapping?.[key] !== undefined) return mapping[key];
  throw new RangeError(`${asShown(mapping)} has no ${key}`);
}

/** Return the pairs of a list of records, of objects, or of lists of two that hold a name and a value. */
export function pairsOfRecords(records, name, value) {
  if (typeof name === "number") {
    const odd = records.find((one) => !Array.isArray(one) || one.length !== 2);
    if (odd !== undefined) throw new RangeError(`${asShown(odd)} is no list of a name and a value`);
  }
  return records.map((record) => [heldUnder(record, name), heldUnder(record, value)]);
}

/** Return pairs as records, or as lists of two, that hold a name and a value. */
export function recordsOfPairs(pairs, name, value) {
  if (typeof name === "number") return pairs.map(([one, other]) => (name === 0 ? [one, other] : [other, one]));
  return pairs.map(([one, other]) => ({ [name]: one, [value]: other }));
}

/** Return the pairs of a text in which they stand one behind the other, each with a mark between its two. */
export function pairsOfWords(text, between, mark) {
  const lines = between === "\r\n" || between === "\n";
  const words = someText(text) ? text.split(between).filter((word) => word || !lines) : [];
  return words.map((word) => {
    const [name, value] = partedAt(word, mark);
    if (value === null && mark) throw new RangeError(`${asShown(word)} has no ${asShown(mark)}`);
    return [name, lines ? (value ?? "").replace(/^ +| +$/g, "") : (value ?? "")];
  });
}

/** Return pairs as a text; lines each have their end. */
export function wordsOfPairs(pairs, between, mark) {
  if (between !== "\r\n" && between !== "\n") return listOfPairs(pairs, mark).join(between);
  const space = mark.endsWith(" ") ? "" : " ";
  return pairs.map(([name, value]) => `${name}${mark}${space}${textOfScalar(value)}${between}`).join("");
}

/** Return the pairs of a list of texts, each with a mark between its two. */
export function pairsOfList(items, mark) {
  return items.map((item) => {
    const [name, value] = partedAt(item, mark);
    if (value === null) throw new RangeError(`${asShown(item)} has no ${asShown(mark)}`);
    return [name, value];
  });
}

/** Return pairs as a list of texts. */
export function listOfPairs(pairs, mark) {
  return pairs.map(([name, value]) => `${name}${mark}${textOfScalar(value)}`);
}

/** Return the pairs of a list of mappings that have one entry each. */
export function pairsOfSingleEntries(items) {
  return items.map((item) => {
    const pairs = Object.entries(item);
    if (pairs.length !== 1) throw new RangeError(`${asShown(Object.keys(item))} stand together, where each stands alone`);
    return pairs[0];
  });
}

/** Return pairs as a list of mappings that have one entry each. */
export function singleEntriesOfPairs(pairs) {
  return pairs.map(([name, value]) => ({ [name]: value }));
}

/** Return a text as it is, any other value as JSON writes it, and nothing as an empty text. */
export function textOfScalar(value) {
  if (typeof value === "string") return value;
  return value == null ? "" : jsonToText(value);
}

/** Return pairs percent-decoded; bytes that are not UTF-8 throw. */
export function percentPairs(pairs) {
  return pairs.map((pair) => pair.map((text) => percentDecoded(text, true)));
}

/** Return pairs percent-encoded. */
export function percentEncodedPairs(pairs) {
  return pairs.map((pair) => pair.map((text) => percentEncoded(text, "")));
}

/** Return the pairs of a text that is encoded as a form (application/x-www-form-urlencoded). */
export function formPairs(text) {
  const pairs = (text || "").split("&").filter(Boolean).map((part) => partedAt(part, "="));
  return pairs.map((pair) => pair.map((one) => fromFormText(one ?? "")));
}

/** Return pairs as a mapping; of two of a name the last counts. */
export function textsOfPairs(pairs) {
  return Object.fromEntries(pairs);
}

/** Return a mapping's pairs. */
export function pairsOfTexts(texts) {
  return Object.entries(texts ?? {});
}

/** Return values by name, those of one name joined by commas. */
export function withCommas(pairs) {
  const joined = new Map();
  for (const [name, value] of pairs) joined.set(name, joined.has(name) ? `${joined.get(name)},${value}` : value);
  return Object.fromEntries(joined);
}

/** Return pairs with their names in lower case. */
export function loweredNames(pairs) {
  return pairs.map(([name, value]) => [name.toLowerCase(), value]);
}

/** Return pairs with their names in capitals. */
export function namesInCapitals(pairs) {
  return pairs.map(([name, value]) => [name.toUpperCase(), value]);
}

/** Return pairs with each word of their names in lower case behind a capital: `Content-Type`. */
export function namesInTitle(pairs) {
  const titled = (word) => word.slice(0, 1).toUpperCase() + word.slice(1).toLowerCase();
  return pairs.map(([name, value]) => [name.split("-").map(titled).join("-"), value]);
}

/** Return pairs in whose names a capital stands for each dash and letter: `contentType`. */
export function namesInCamelCase(pairs) {
  return pairs.map(([name, value]) => [name.replace(/-([a-z])/g, (_, letter) => letter.toUpperCase()), value]);
}

/** Return pairs in whose names each capital is a dash and its letter again. */
export function namesFromCamelCase(pairs) {
  return pairs.map(([name, value]) => [name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`), value]);
}

/** Return pairs as a mapping, the values of one name joined by a text in order. */
export function withValuesJoined(pairs, mark = ", ") {
  const lists = Object.entries(toLists(pairs));
  return Object.fromEntries(lists.map(([name, values]) => [name, values.join(mark)]));
}

/** Return the pairs of a mapping in which the values of one name are joined by a text; without one, as it is. */
export function pairsOfJoined(mapping, mark = "") {
  const entries = Object.entries(mapping ?? {});
  return entries.flatMap(([name, value]) => (mark ? value.split(mark) : [value]).map((one) => [name, one]));
}

/** Return the pairs of lists that each hold a name, and behind it all values of that name. */
export function pairsOfNamedLists(lists) {
  const held = lists ?? [];
  if (!Array.isArray(held) || !held.every((one) => Array.isArray(one) && one.length)) {
    throw new RangeError(`${asShown(lists)} is no list of lists, each of a name and its values`);
  }
  return held.flatMap(([name, ...values]) => values.map((value) => [name, value]));
}

/** Return pairs as lists of a name and its values; values of one name that do not follow each other stand apart. */
export function namedListsOfPairs(pairs) {
  const made = [];
  for (const [name, value] of pairs) {
    if (made.length && made.at(-1)[0] === name) made.at(-1).push(value);
    else made.push([name, value]);
  }
  return made;
}

/** Return pairs in whose names `-` stands for `_`. */
export function namesWithDashes(pairs) {
  return pairs.map(([name, value]) => [name.replaceAll("_", "-"), value]);
}

/** Return pairs in whose names `_` stands for `-`. */
export function namesWithUnderscores(pairs) {
  return pairs.map(([name, value]) => [name.replaceAll("-", "_"), value]);
}

/** Return a mapping of records as a list in which each has its key under a name; of lists, at a place. */
export function recordsByKey(mapping, key) {
  return Object.entries(mapping ?? {}).map(([name, record]) =>
    Array.isArray(record) ? record.toSpliced(key, 0, name) : { [key]: name, ...record },
  );
}

/** Return a list of records as a mapping by what stands under a name in each; of lists, at a place. */
export function byKeyOfRecords(records, key) {
  return Object.fromEntries(
    records.map((one) => {
      if (Array.isArray(one)) return [one[key], one.toSpliced(key, 1)];
      const { [key]: name, ...record } = one;
      return [name, record];
    }),
  );
}

/** Return a list of records as a mapping by what stands under a name in each; throw where two have the same there. */
export function listedByKey(records, key) {
  const held = new Set((records ?? []).map((one) => heldUnder(one, key)));
  if (held.size < (records ?? []).length) throw new RangeError(`two of them have the same ${key}`);
  return byKeyOfRecords(records ?? [], key);
}

/** Return by each name what stands under a key in its record. */
export function valuesAt(mapping, key) {
  return Object.fromEntries(
    Object.entries(mapping ?? {}).map(([name, record]) => {
      if (record === null || typeof record !== "object" || !(key in record)) throw new RangeError(`${name} has no ${key}`);
      return [name, record[key]];
    }),
  );
}

/** Return by each name a record that has its value under a key, and beside it what is made of a list. */
export function recordsOfValues(values, key, beside) {
  const made = (value) => Object.entries(beside).map(([own, which]) => [own, oneOfList(value, which)]);
  return Object.fromEntries(
    Object.entries(values).map(([name, value]) => [name, { [key]: value, ...Object.fromEntries(made(value)) }]),
  );
}

/** Return the first of some texts, the last, or all joined; an empty text of none. */
export function oneOfList(values, which) {
  if (which === "joined") return values.join(", ");
  return values.at(which === "first" ? 0 : -1) ?? "";
}

/** Return values by name as texts: numbers and truths as JSON writes them, null as an empty text. */
export function textsOfScalars(mapping) {
  const texts = Object.entries(mapping ?? {}).map(([name, value]) => {
    if (value !== null && typeof value === "object") {
      throw new RangeError(`${name} holds ${asShown(value)}, and not a text, a number or a truth`);
    }
    return [name, textOfScalar(value)];
  });
  return Object.fromEntries(texts);
}

/** Return pairs as a record; of two of a name the last counts. */
export function recordOfPairs(pairs) {
  return Object.fromEntries(pairs);
}

/** Return a record's pairs, none of nothing; throw for another value. */
export function pairsOfRecord(record) {
  if (record != null && !isMapping(record)) {
    throw new RangeError(`${asShown(record)} has no names with values, and stands here as these`);
  }
  return Object.entries(record ?? {});
}

/** Return the record whose one column holds a value. */
export function recordOfOne(value, column) {
  return { [column]: value };
}

/** Return what a record's one column holds. */
export function valueOfOne(record, column) {
  return record?.[column] ?? null;
}

/** Return what records, or objects, hold under a key. */
export function textsAt(records, key) {
  return (records ?? []).map((one) => heldUnder(one, key));
}

/** Return texts as records that each hold one under a key. */
export function recordsWith(texts, key) {
  return texts.map((text) => ({ [key]: text }));
}

/** Return texts as objects that each have one as a property. */
export function objectsWith(texts, name) {
  return recordsWith(texts, name);
}

/** Return the texts that have a word. */
export function textsWithWord(told, word, key = "", at = "") {
  const pairs = key ? (told ?? []).map((one) => [heldUnder(one, key), heldUnder(one, at)]) : Object.entries(told ?? {});
  return pairs.filter(([, one]) => one === word).map(([text]) => text);
}

/** Return a mapping from texts to one word; or records that hold both under keys. */
export function wordsOfTexts(texts, word, key = "", at = "") {
  return key ? texts.map((text) => ({ [key]: text, [at]: word })) : Object.fromEntries(texts.map((text) => [text, word]));
}

/** Return the texts that stand in one, set apart by another. */
export function textsApart(text, mark) {
  return someText(text).split(mark).map((one) => one.trim()).filter(Boolean);
}

/** Return texts in one, set apart by another. */
export function textsInOne(texts, mark) {
  return texts.join(mark);
}

/** Return the JSON values of a text that has one a line. */
export function valuesOfLines(text) {
  return someText(text).split("\n").filter((line) => line.trim()).map((line) => JSON.parse(line));
}

/** Return JSON values as a text, one a line, each with its end; throw for what is no list. */
export function linesOfValues(values) {
  if (!Array.isArray(values)) throw new RangeError(`${asShown(values)} is no list of values, to stand one a line`);
  return values.map((value) => `${jsonToText(value)}\n`).join("");
}

/** Return the key of a record, whose columns are named, from what the record holds; throw for none. */
export function keysNamed(names, old, now) {
  const record = now ?? old ?? {};
  const missing = names.filter((name) => !Object.hasOwn(record, name));
  if (missing.length) throw new RangeError(`the record does not hold ${missing.join(", ")} of its key`);
  return Object.fromEntries(names.map((name) => [name, record[name]]));
}

/** Return of the record before the columns that are others in the one after; all, where there is none after. */
export function changedBefore(old, now) {
  if (old == null || now == null) return old ?? null;
  const other = ([name, value]) => !Object.hasOwn(now, name) || !isDeepStrictEqual(now[name], value);
  return Object.fromEntries(Object.entries(old).filter(other));
}

/** Return the record before, from the columns that are others in the one after. */
export function beforeChange(changed, now) {
  return changed == null || now == null ? (changed ?? null) : { ...now, ...changed };
}

/** Return a record of which only that is told which another has not, or has otherwise; null for nothing. */
export function laidOver(told, other) {
  return told == null ? null : { ...other, ...told };
}

/** Return of a record what another has not, or has otherwise; null for nothing. */
export function whatIsOver(record, other) {
  if (record == null) return null;
  const more = ([name, value]) => !Object.hasOwn(other ?? {}, name) || !isDeepStrictEqual(other[name], value);
  return Object.fromEntries(Object.entries(record).filter(more));
}

/** Return what a JSON Merge Patch makes of a value (RFC 7396 section 2); null where there is no patch. */
export function mergePatched(patch, target) {
  if (!isMapping(patch)) return patch ?? null;
  const made = isMapping(target) ? { ...target } : {};
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) delete made[name];
    else made[name] = mergePatched(value, made[name]);
  }
  return made;
}

/** Return the JSON Merge Patch that makes one value of another (RFC 7396). */
export function mergePatchOf(value, target) {
  if (!isMapping(value) || !isMapping(target)) return value;
  const gone = Object.keys(target).filter((name) => !Object.hasOwn(value, name));
  const more = ([name, one]) => !Object.hasOwn(target, name) || !isDeepStrictEqual(target[name], one);
  const patched = Object.entries(value).filter(more).map(([name, one]) => [name, mergePatchOf(one, target[name])]);
  return Object.fromEntries([...gone.map((name) => [name, null]), ...patched]);
}

/** Return what a JSON Patch makes of a value (RFC 6902); null where there is no patch. */
export function jsonPatched(patch, target) {
  if (patch == null) return null;
  let made = structuredClone(target ?? null); // the record that it is a patch of stays what it is
  for (const one of patch) {
    const path = pointerParts(one.path);
    if (one.op === "move" || one.op === "copy") {
      const value = structuredClone(valueAtPointer(made, pointerParts(one.from)));
      if (one.op === "move") made = withoutPointer(made, pointerParts(one.from));
      made = withPointer(made, path, value, { fresh: true });
    } else if (one.op === "add" || one.op === "replace") {
      made = withPointer(made, path, one.value, { fresh: one.op === "add" });
    } else if (one.op === "remove") {
      made = withoutPointer(made, path);
    } else if (one.op !== "test") {
      throw new RangeError(`a JSON Patch has no operation ${asShown(one.op)}`);
    } else if (!isDeepStrictEqual(valueAtPointer(made, path), one.value)) {
      throw new RangeError(`a JSON Patch tests ${one.path}, and something else stands there`);
    }
  }
  return made;
}

/** Return the JSON Patch that makes one record of another, column by column; null for nothing. */
export function jsonPatchOf(value, target) {
  if (value == null) return null;
  if (!isMapping(target)) return [{ op: "add", path: "", value }];
  const gone = Object.keys(target).filter((name) => !Object.hasOwn(value, name));
  const more = ([name, one]) => !Object.hasOwn(target, name) || !isDeepStrictEqual(target[name], one);
  const put = ([name, one]) => ({ op: Object.hasOwn(target, name) ? "replace" : "add", path: pointerOf(name), value: one });
  return [...gone.map((name) => ({ op: "remove", path: pointerOf(name) })), ...Object.entries(value).filter(more).map(put)];
}

/** Return the JSON Pointer to a column (RFC 6901). */
export function pointerOf(name) {
  return `/${name.replaceAll("~", "~0").replaceAll("/", "~1")}`;
}

/** Return the parts of a JSON Pointer (RFC 6901). */
export function pointerParts(pointer) {
  return pointer.split("/").slice(1).map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** Return what stands at the parts of a pointer; it is an error where nothing does. */
export function valueAtPointer(value, parts) {
  return parts.reduce((held, part) => {
    if (held !== null && typeof held === "object" && Object.hasOwn(held, part)) return held[part];
    throw new RangeError(`a JSON Patch names ${parts.join("/")}, and nothing stands there`);
  }, value);
}

/** Return a value with another at the parts of a pointer; where it is no fresh one, something has to stand there. */
export function withPointer(value, parts, put, { fresh }) {
  if (parts.length === 0) return put;
  const last = parts.at(-1);
  const holder = valueAtPointer(value, parts.slice(0, -1));
  if (!fresh) valueAtPointer(holder, [last]);
  if (Array.isArray(holder) && fresh) holder.splice(last === "-" ? holder.length : Number(last), 0, put);
  else if (holder !== null && typeof holder === "object") holder[last] = put;
  else throw new RangeError(`a JSON Patch puts ${parts.join("/")} into what holds nothing`);
  return value;
}

/** Return a value without what stands at the parts of a pointer; it is an error where nothing does. */
export function withoutPointer(value, parts) {
  valueAtPointer(value, parts);
  if (parts.length === 0) return null;
  const holder = valueAtPointer(value, parts.slice(0, -1));
  if (Array.isArray(holder)) holder.splice(Number(parts.at(-1)), 1);
  else delete holder[parts.at(-1)];
  return value;
}

/** Return what happened to a record that is told as it was and as it is: nothing before, nothing after, or both. */
export function changeOfSides(old, now) {
  if (old == null && now == null) {
    throw new RangeError("a record is told neither as it was nor as it is, so it can't be said what happened to it");
  }
  return old == null ? "inserted" : now == null ? "deleted" : "updated";
}

/** Return the names of what a route captures, in order. */
export function namesOfRoute(route) {
  return Array.from(route.matchAll(/\{([^{}]*)\}/g), ([, name]) => name.replace(/^\++/, ""));
}

/** Return what a route captured, in the order of its names. */
export function valuesInOrder(captures, route) {
  return namesOfRoute(route).map((name) => captures[name] ?? "");
}

/** Return what a route captured by name, from a list in its order; the first `skip` are no captures. */
export function byOrder(values, route, skip) {
  const names = namesOfRoute(route);
  const told = (values ?? []).slice(skip);
  if (told.length !== names.length) {
    throw new RangeError(`${told.length} values for the ${names.length} captures of ${route}`);
  }
  return Object.fromEntries(names.map((name, at) => [name, told[at]]));
}

/** Return the entries whose names begin so, without that beginning. */
export function behindPrefix(mapping, prefix) {
  const entries = Object.entries(mapping ?? {}).filter(([name]) => name.startsWith(prefix));
  return Object.fromEntries(entries.map(([name, value]) => [name.slice(prefix.length), value]));
}

/** Return a mapping with a beginning before each name. */
export function withPrefix(mapping, prefix) {
  return Object.fromEntries(Object.entries(mapping ?? {}).map(([name, value]) => [prefix + name, value]));
}

/** Return the entries whose names end so, without that end. */
export function beforeEnd(mapping, end) {
  const entries = Object.entries(mapping ?? {}).filter(([name]) => name.endsWith(end));
  return Object.fromEntries(entries.map(([name, value]) => [name.slice(0, name.length - end.length), value]));
}

/** Return a mapping with an end behind each name. */
export function withEnd(mapping, end) {
  return Object.fromEntries(Object.entries(mapping ?? {}).map(([name, value]) => [name + end, value]));
}

/** Return the text of a list of its parts; none make an empty text. */
export function textOfParts(parts, mark) {
  if (someTexts(parts).some((one) => mark && one.includes(mark))) {
    throw new RangeError(`${asShown(parts)} holds ${asShown(mark)}, which sets its texts apart here`);
  }
  return parts.join(mark);
}

/** Return the parts of a text as a list; an empty text has none. */
export function partsOfText(text, mark) {
  if (!mark) return text ? [text] : [];
  return text ? text.split(mark) : [];
}

/** Return the path of a list of its segments, as they came on the wire. */
export function pathOfSegments(segments) {
  if (someTexts(segments, "segments of a path").some((one) => one.includes("/"))) {
    throw new RangeError(`${asShown(segments)} is no list of segments of a path`);
  }
  return `/${segments.join("/")}`;
}

/** Return the segments of a path, as they came on the wire; none for `/`. */
export function segmentsOfPath(path) {
  return path === "" || path === "/" ? [] : withoutPrefix(path, "/").split("/");
}

/** Return the path, percent-encoded, of a list of its segments that are decoded. */
export function pathOfDecoded(segments) {
  return `/${someTexts(segments, "segments of a path").map((one) => encodePath(one).replaceAll("/", "%2F")).join("/")}`;
}

/** Return the segments of a path, percent-decoded as UTF-8; none for `/`. */
export function decodedSegments(path) {
  return segmentsOfPath(path).map((one) => percentDecoded(one));
}

/** Return the pairs of a mapping from each name to its value, or to a list where it has several. */
export function pairsOfOneOrList(mapping) {
  return Object.entries(mapping ?? {}).flatMap(([name, value]) => {
    const values = Array.isArray(value) ? value : [value];
    const odd = values.find((one) => typeof one !== "string");
    if (odd !== undefined) throw new RangeError(`${name} holds ${asShown(odd)}, which is no text`);
    return values.map((one) => [name, one]);
  });
}

/** Return a mapping from each name to its value, and to the list of its values where it has several. */
export function oneOrListOfPairs(pairs) {
  const lists = Object.entries(toLists(pairs));
  return Object.fromEntries(lists.map(([name, values]) => [name, values.length > 1 ? values : values[0]]));
}

/** Return the pairs of two lists, of names and of values, that stand under two keys of a mapping. */
export function pairsOfTwoLists(lists, names, values) {
  if (lists == null) return [];
  const [left, right] = [heldUnder(lists, names), heldUnder(lists, values)];
  if (left.length !== right.length) {
    throw new RangeError(`there are ${left.length} under ${names}, and ${right.length} under ${values}`);
  }
  return left.map((name, at) => [name, right[at]]);
}

/** Return pairs as two lists, of names and of values, under two keys of a mapping. */
export function twoListsOfPairs(pairs, names, values) {
  return { [names]: pairs.map(([name]) => name), [values]: pairs.map(([, value]) => value) };
}

/** Return the entries of a mapping under other names than these. */
export function underOtherNames(mapping, ...names) {
  return Object.fromEntries(Object.entries(mapping ?? {}).filter(([name]) => !names.includes(name)));
}

/** Return the record of a list of values that stand in the order of the columns' names; null for nothing. */
export function recordInColumns(values, names) {
  if (values == null) return null;
  if (!Array.isArray(values) || values.length !== names.length) {
    throw new RangeError(`${asShown(values)} has not a value for each of the columns ${names.join(", ")}`);
  }
  return Object.fromEntries(names.map((name, at) => [name, values[at]]));
}

/** Return a record's values in the order of the columns' names; null for nothing. */
export function valuesInColumns(record, names) {
  return record == null ? null : names.map((name) => record[name] ?? null);
}

/** Return the names of all columns of a record, as it is, as it was, and of its key. */
export function namesOfColumns(keys, old, now) {
  return Object.keys({ ...now, ...old, ...keys });
}

/** Return the rows of a table, whose columns are named once, as a list of mappings. */
export function rowsOfTable(table, columns, rows) {
  const names = heldUnder(table, columns);
  return heldUnder(table, rows).map((row) => {
    if (row.length === names.length) return Object.fromEntries(names.map((name, at) => [name, row[at]]));
    throw new RangeError(`a row has not a value for each of the columns ${names.join(", ")}`);
  });
}

/** Return a list of mappings with the same keys as a table, whose columns are named once. */
export function tableOfRows(mappings, columns, rows) {
  const names = Object.keys(mappings[0] ?? {});
  const alike = (one) => Object.keys(one).length === names.length && names.every((name) => Object.hasOwn(one, name));
  if (!mappings.every(alike)) throw new RangeError("rows with different columns can't stand in one table");
  return { [columns]: names, [rows]: mappings.map((one) => names.map((name) => one[name])) };
}

/** Return records by name of mappings that stand side by side; it is an error where one has other names. */
export function recordsOfMappings(mappings, ...names) {
  const each = names.map((name) => mappings?.[name] ?? {});
  const first = Object.keys(each[0]);
  if (each.some((one) => Object.keys(one).length !== first.length || first.some((key) => !Object.hasOwn(one, key)))) {
    throw new RangeError("of the mappings that stand side by side, one has other names than another");
  }
  return Object.fromEntries(first.map((key) => [key, Object.fromEntries(names.map((name, at) => [name, each[at][key]]))]));
}

/** Return records by name as mappings that stand side by side; what one of them has not is null. */
export function mappingsOfRecords(records, ...names) {
  const all = Object.entries(records);
  return Object.fromEntries(names.map((name) => [name, Object.fromEntries(all.map(([key, record]) => [key, record[name] ?? null]))]));
}

/** Return a mapping of lists of the same length as a list of mappings, each with one value of every list. */
export function rowsOfLists(lists, ...names) {
  const each = names.map((name) => heldUnder(lists, name));
  if (new Set(each.map((list) => list.length)).size > 1) {
    throw new RangeError("of the lists that stand side by side, one is longer than another");
  }
  return (each[0] ?? []).map((_, at) => Object.fromEntries(names.map((name, column) => [name, each[column][at]])));
}

/** Return a list of mappings as a mapping of lists; what one of them has not is null. */
export function listsOfRows(mappings, ...names) {
  return Object.fromEntries(names.map((name) => [name, mappings.map((one) => one[name] ?? null)]));
}
