// Values under a provider's words for their types: in mappings, in lists, column by column.
//
// A word stands for one of: text, number, decimal (a number as text), truth, words (two words for true and false),
// nothing, bytes (Base64), list, mapping.

/** Return the number of a text; throw for what is none. */
export function numberOfText(text) {
  if (typeof text === "string" && /^-?[0-9]{1,400}(\.[0-9]{1,400})?([eE][+-]?[0-9]{1,4})?$/.test(text)) return Number(text);
  throw new RangeError(`${asShown(text)} is no number`);
}

/** Return a number's text. */
export function textOfNumber(number) {
  return String(number);
}

/** Return the kinds that a plain value may have, the usual one first. */
export function kindsOfValue(value) {
  if (value == null) return ["nothing"];
  if (typeof value === "boolean") return ["truth", "words"];
  if (typeof value === "number" || typeof value === "bigint") return ["decimal", "number"];
  if (typeof value === "string") return ["text"];
  if (Array.isArray(value)) return ["list"];
  const bytes = value instanceof Uint8Array || Object.keys(value).join() === "base64";
  return bytes ? ["bytes", "mapping"] : ["mapping"];
}

/** Return the first word of a provider's for the type of a value. */
export function typeOfValue(value, types) {
  for (const wanted of kindsOfValue(value)) {
    const found = Object.entries(types).find(([, kind]) => kind.split(":", 1)[0] === wanted);
    if (found) return found[0];
  }
  throw new RangeError(`there is no word for a value such as ${asShown(value)}`);
}

/** Return the kind that a word for a type stands for; throw with the words that are known. */
export function kindOfWord(word, types) {
  if (typeof word === "string" && Object.hasOwn(types, word)) return types[word];
  throw new RangeError(`${asShown(word)} is none of the types ${Object.keys(types).join(", ")}`);
}

/** Return the plain value of one that has a type: `inner` reads what a list holds, `entries` a mapping. */
export function plainValue(kind, value, inner, entries) {
  const [name, words] = partedAt(kind, ":");
  if (name === "nothing" || value == null) return null;
  if (name === "decimal") return numberOfText(value);
  if (name === "words") {
    const [yes, no] = words.split("/");
    if (value !== yes && value !== no) throw new RangeError(`${asShown(value)} is neither ${yes} nor ${no}`);
    return value === yes;
  }
  if (name === "bytes") return { base64: base64Text(base64Bytes(value)) };
  if (name === "list") return value.map(inner);
  if (name === "mapping") return entries(value);
  const wanted = { text: "string", truth: "boolean" }[name] ?? "number";
  if (typeof value !== wanted) throw new RangeError(`${asShown(value)} is no ${name}`);
  return value;
}

/** Return a plain value as it stands under its type. */
export function typedValue(kind, value, inner, entries) {
  const [name, words] = partedAt(kind, ":");
  if (name === "nothing") return true;
  if (value == null) return null;
  if (name === "decimal") return textOfNumber(value);
  if (name === "words") return words.split("/")[value ? 0 : 1];
  if (name === "bytes") return value instanceof Uint8Array ? base64Text(value) : value.base64;
  if (name === "list") return value.map(inner);
  return name === "mapping" ? entries(value) : value;
}

/** Return the plain value of one that is wrapped in a mapping with its type as the only key, recursively. */
export function untagged(value, types) {
  const entries = isMapping(value) ? Object.entries(value) : [];
  if (entries.length !== 1) throw new RangeError(`${asShown(value)} is no value under its type`);
  const [[word, inside]] = entries;
  const record = (mapping) => untaggedRecord(mapping, types);
  return plainValue(kindOfWord(word, types), inside, (one) => untagged(one, types), record);
}

/** Return a record's plain values; null for nothing. */
export function untaggedRecord(record, types) {
  if (record == null) return null;
  return Object.fromEntries(Object.entries(record).map(([name, value]) => [name, untagged(value, types)]));
}

/** Return a plain value in a mapping with its type as the only key, recursively. */
export function tagged(value, types) {
  const word = typeOfValue(value, types);
  const record = (mapping) => taggedRecord(mapping, types);
  return { [word]: typedValue(types[word], value, (one) => tagged(one, types), record) };
}

/** Return a record with each value under its type; null for nothing. */
export function taggedRecord(record, types) {
  if (record == null) return null;
  return Object.fromEntries(pairsOfRecord(record).map(([name, value]) => [name, tagged(value, types)]));
}

/** Return the plain value of a record that has a type and a value, recursively; `names` are name, type, value. */
export function valueBesideType(record, names, types, at = names[2]) {
  const kind = kindOfWord(heldUnder(record, names[1]), types);
  const list = (items) => recordOfTyped(items, names, types);
  return plainValue(kind, record[at] ?? null, (one) => valueBesideType(one, names, types), list);
}

/** Return a list of records of name, type and value as one record of plain values; of a name the last counts. */
export function recordOfTyped(items, names, types) {
  const pairs = (items ?? []).map((item) => [heldUnder(item, names[0]), valueBesideType(item, names, types)]);
  return Object.fromEntries(pairs);
}

/** Return a plain value as a record of its type and itself; nothing is a text that isn't there. */
export function typedBeside(value, names, types) {
  const untold = value == null && !Object.values(types).includes("nothing");
  const word = untold ? Object.keys(types)[0] : typeOfValue(value, types);
  const list = (record) => typedOfRecord(record, names, types);
  return { [names[1]]: word, [names[2]]: typedValue(types[word], value, (one) => typedBeside(one, names, types), list) };
}

/** Return a record whose keys are numbers from 0 as a list, any other as it is. */
export function byPlaces(record, names) {
  return names.every((name) => typeof name === "number") ? Object.values(record) : record;
}

/** Return a record as a list of records of name, type and value, or of lists where these are told by numbers. */
export function typedOfRecord(record, names, types) {
  const typed = ([name, value]) => byPlaces({ [names[0]]: name, ...typedBeside(value, names, types) }, names);
  return pairsOfRecord(record).map(typed);
}

/** Return a list of records of name, type and value as texts by name: numbers and Base64 as they are written. */
export function textsOfTyped(items, names, types) {
  const pairs = (items ?? []).map((item) => {
    kindOfWord(heldUnder(item, names[1]), types);
    return [heldUnder(item, names[0]), item[names[2]] ?? null];
  });
  return Object.fromEntries(pairs);
}

/** Return a provider's word for texts. */
export function wordForTexts(types) {
  return Object.keys(types).find((word) => types[word] === "text");
}

/** Return texts by name as records of name, type and value. */
export function typedOfTexts(texts, names, types) {
  const word = wordForTexts(types);
  const typed = ([name, value]) => byPlaces({ [names[0]]: name, [names[1]]: word, [names[2]]: value }, names);
  return Object.entries(texts ?? {}).map(typed);
}

/** Return texts that each stand in a mapping under their type: numbers and Base64 as they are written. */
export function textsOfTagged(mapping, types) {
  const pairs = Object.entries(mapping ?? {}).map(([name, value]) => {
    const entries = isMapping(value) ? Object.entries(value) : [];
    if (entries.length !== 1) throw new RangeError(`${name} is no value under one of the types ${Object.keys(types).join(", ")}`);
    kindOfWord(entries[0][0], types);
    return [name, entries[0][1]];
  });
  return Object.fromEntries(pairs);
}

/** Return texts by name, each in a mapping under the type of texts. */
export function taggedOfTexts(texts, types) {
  const word = wordForTexts(types);
  return Object.fromEntries(Object.entries(texts ?? {}).map(([name, value]) => [name, { [word]: value }]));
}

/** Return changed columns: name, whether it is of the key, and what it held (`old`) and holds (`new`), if told. */
export function changedColumns(columns, keys, types) {
  const names = [keys.name, keys.type, keys.value];
  return columns.map((column) => {
    const told = ["old", "new"].filter((side) => Object.hasOwn(column, keys[side]));
    const sides = told.map((side) => [side, valueBesideType(column, names, types, keys[side])]);
    return { name: heldUnder(column, keys.name), key: isFilled(column[keys.key]), ...Object.fromEntries(sides) };
  });
}

/** Return changed columns as a provider tells them. */
export function columnsAsTold(columns, keys, types) {
  const names = [keys.name, keys.type, keys.value];
  return columns.map((column) => {
    // A column has one type: that of what it holds, if anything.
    const [value] = [column.new, column.old].filter((one) => one != null);
    const word = value === undefined ? Object.keys(types)[0] : typeOfValue(value, types);
    const made = { [names[0]]: column.name, [names[1]]: word, ...(column.key && { [keys.key]: true }) };
    for (const side of ["old", "new"].filter((one) => Object.hasOwn(column, one))) {
      // What was of another type before has no place beside what it holds now: it is told as nothing.
      const alike = column[side] == null || typeOfValue(column[side], types) === word;
      const inner = (one) => typedBeside(one, names, types);
      const entries = (record) => typedOfRecord(record, names, types);
      made[keys[side]] = typedValue(types[word], alike ? column[side] : null, inner, entries);
    }
    return made;
  });
}

/** Return changed columns of a mapping from each name to what it held and holds; null, or nothing, is neither. */
export function columnsOfSides(sides, old, now) {
  if (!isMapping(sides)) throw new RangeError(`${asShown(sides)} is no mapping from the names of columns`);
  return Object.entries(sides).map(([name, both]) => {
    const told = [["old", both[old]], ["new", both[now]]].filter(([, held]) => held != null);
    return { name, key: false, ...Object.fromEntries(told) };
  });
}

/** Return a mapping from the name of each column that changed, none of the key, to what it held and holds. */
export function sidesOfColumns(columns, old, now) {
  const changed = columns.filter((one) => !one.key && !isDeepStrictEqual(one.old ?? null, one.new ?? null));
  const both = (one) => [one.old ?? null, one.new ?? null];
  const made = (one) => (typeof old === "string" ? { [old]: both(one)[0], [now]: both(one)[1] } : both(one));
  return Object.fromEntries(changed.map((one) => [one.name, made(one)]));
}

/** Return the key of a record whose columns changed. */
export function keysOfColumns(columns) {
  const ofKey = columns.filter((one) => one.key);
  return Object.fromEntries(ofKey.map((one) => [one.name, (Object.hasOwn(one, "new") ? one.new : one.old) ?? null]));
}

/** Return a record as it was, or is; null where no column is told on that side. */
export function sideOfColumns(columns, side) {
  const told = columns.filter((one) => Object.hasOwn(one, side));
  return told.length ? Object.fromEntries(told.map((one) => [one.name, one[side]])) : null;
}

/** Return the columns of a record that changed. */
export function columnsOf(keys, old, now) {
  return Object.keys({ ...keys, ...old, ...now }).map((name) => {
    const made = { name, key: Object.hasOwn(keys, name) };
    if (old != null && Object.hasOwn(old, name)) made.old = old[name];
    if (now != null && Object.hasOwn(now, name)) made.new = now[name];
    if (!("old" in made) && !("new" in made)) made[now != null ? "new" : "old"] = keys[name];
    return made;
  });
}

/** Return a value whose numbers were decimals elsewhere: JavaScript has one kind of number. */
export function withoutDecimals(value) {
  return value;
}

/** Return a value whose numbers are decimals elsewhere: JavaScript has one kind of number. */
export function withDecimals(value) {
  return value;
}

/** Return a record whose values each stand in one text behind the word of their type; null for nothing. */
export function recordOfSpelt(texts, mark, types) {
  if (texts == null) return null;
  return Object.fromEntries(Object.entries(texts).map(([name, text]) => [name, plainOfSpelt(text, mark, types)]));
}

/** Return the value of a text that begins with the word of its type; what no text says stands there as JSON. */
export function plainOfSpelt(text, mark, types) {
  const [word, held] = typeof text === "string" ? partedAt(text, mark) : ["", ""];
  if (!Object.hasOwn(types, word)) {
    throw new RangeError(`${asShown(text)} begins with none of the types ${Object.keys(types).join(", ")} and ${asShown(mark)}`);
  }
  const asJson = ["number", "truth", "list", "mapping"].includes(types[word]);
  const same = (one) => one;
  return plainValue(types[word], asJson ? jsonFromText(held ?? "") : (held ?? ""), same, same);
}

/** Return a record with each value as one text, behind the word of its type; null for nothing. */
export function speltOfRecord(record, mark, types) {
  if (record == null) return null;
  return Object.fromEntries(pairsOfRecord(record).map(([name, value]) => [name, speltOfPlain(value, mark, types)]));
}

/** Return a value as a text behind the word of its type. */
export function speltOfPlain(value, mark, types) {
  const word = typeOfValue(value, types);
  const held = typedValue(types[word], value, (one) => one, (one) => one);
  return `${word}${mark}${value == null ? "" : typeof held === "string" ? held : jsonToText(held)}`;
}
