// Texts: how they are encoded, byte by byte as RFC 3986 and the form media type say, and of which parts they are.
import { isIP } from "node:net";

/** Return a text percent-encoded as UTF-8, but for unreserved characters (RFC 3986 section 2.3) and those in `safe`. */
export function percentEncoded(text, safe) {
  let made = "";
  for (const character of text) {
    if (/[A-Za-z0-9_.~-]/.test(character) || safe.includes(character)) made += character;
    else for (const byte of utf8(character)) made += `%${byte.toString(16).toUpperCase().padStart(2, "0")}`;
  }
  return made;
}

/** Return the bytes of a text as UTF-8; throw for a lone surrogate, which has none. */
export function utf8(text) {
  if (!text.isWellFormed()) throw new RangeError("a lone surrogate can't be encoded");
  return Buffer.from(text);
}

/** Return a text percent-decoded as UTF-8; bytes that are none become U+FFFD, or throw where it is `strict`. */
export function percentDecoded(text, strict = false) {
  if (!text.includes("%")) return text;
  const decode = (run) => {
    const bytes = Uint8Array.from(run.slice(1).split("%"), (hex) => parseInt(hex, 16));
    return new TextDecoder("utf-8", { fatal: strict, ignoreBOM: true }).decode(bytes);
  };
  return text.replace(/(?:%[0-9a-fA-F]{2})+/g, decode);
}

/** Return a text percent-encoded as in a form: `+` for a space, slashes as they are. */
export function toFormText(text) {
  return percentEncoded(text, "/ ").replaceAll(" ", "+");
}

/** Return the text that was encoded so; bytes that are not UTF-8 throw. */
export function fromFormText(text) {
  return percentDecoded(text.replaceAll("+", " "), true);
}

/** Return a text percent-encoded, slashes as they are. */
export function toPercentText(text) {
  return percentEncoded(text, "/");
}

/** Return the text that was percent-encoded; bytes that are not UTF-8 throw. */
export function fromPercentText(text) {
  return percentDecoded(text, true);
}

/** Return a text as one segment of a path: percent-encoded, slashes too. */
export function toSegment(text) {
  return percentEncoded(text, "");
}

/** Return a text without a fixed beginning, if it has it. */
export function withoutPrefix(text, beginning) {
  return text.startsWith(beginning) ? text.slice(beginning.length) : text;
}

/** Return a text without a fixed end, if it has it. */
export function withoutSuffix(text, end) {
  return end && text.endsWith(end) ? text.slice(0, -end.length) : text;
}

/** Return what stands before a fixed end; throw for a text that does not end so. */
export function beforeSuffix(text, end) {
  if (!text.endsWith(end)) throw new RangeError(`${asShown(text)} does not end in ${asShown(end)}`);
  return withoutSuffix(text, end);
}

/**
 * Return the parts of a text by the first form that it has, null for each that is not there; throw for none.
 *
 * A form is a row of pieces: a text that stands there as it is; the number of a part, which takes as little as it can;
 * ["...", number], which takes as much as it can; ["_", text, most], which is nobody's and is written so; ["[", pieces],
 * which may be missing as a whole. What follows a part is looked for once, from one end: nothing is gone back over.
 */
export function splitText(text, forms, count) {
  someText(text);
  for (const form of forms) {
    const found = formPattern(form).exec(text);
    if (found) return Array.from({ length: count }, (_, part) => found.groups?.[`p${part}`] ?? null);
  }
  throw new RangeError(`${asShown(text)} is not of the form ${forms.map(shownForm).join(" or ")}`);
}

/** Return a form as a person would write it. */
export function shownForm(form) {
  const piece = (one) => (typeof one === "string" ? one : one[0] === "[" ? `[${shownForm(one[1])}]` : "{}");
  return form.map(piece).join("") || '""';
}

/** The patterns of forms that were asked for. */
export const FORM_PATTERNS = new Map();

/** Return what matches a text of a form; each part is a group by its number. */
export function formPattern(form) {
  const name = JSON.stringify(form);
  if (!FORM_PATTERNS.has(name)) FORM_PATTERNS.set(name, new RegExp(`^(?:${piecesPattern(form, { next: 0 })})$`, "su"));
  return FORM_PATTERNS.get(name);
}

/** Return a text as it stands in a pattern. */
export function inPattern(text) {
  return text.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
}

/** Return the pattern of pieces, behind which others follow. A part is looked for ahead and then taken as found. */
export function piecesPattern(form, fresh, behind = []) {
  return form.map((piece, at) => {
    if (typeof piece === "string") return inPattern(piece);
    if (piece[0] === "[") {
      const begins = inPattern(textAtFirst(piece[1]));
      const after = [...form.slice(at + 1), ...behind];
      return `(?:(?=${begins})${piecesPattern(piece[1], fresh, after)}|(?!${begins}))`;
    }
    const most = piece[0] === "..." || (piece[0] === "_" && piece[2]);
    const name = piece[0] === "_" ? `q${fresh.next++}` : `p${Array.isArray(piece) ? piece[1] : piece}`;
    const rest = [...form.slice(at + 1), ...behind];
    if (!rest.length) return `(?<${name}>.*)`;
    const single = typeof rest[0] === "string" && [...rest[0]].length === 1 && !most;
    if (single) return `(?<${name}>[^${inPattern(rest[0])}]*)`;
    return `(?=(?<${name}>${partPattern(rest, most)}))\\k<${name}>`;
  }).join("");
}

/** Return the text with which pieces begin. */
export function textAtFirst(pieces) {
  return typeof pieces[0] === "string" ? pieces[0] : "";
}

/** Return the pattern of a part, which what follows it ends: the first of it, or with `most` the last. */
export function partPattern(rest, most) {
  const taken = most ? ".*" : ".*?";
  const ways = [];
  for (const piece of rest) {
    if (typeof piece === "string") return [...ways, `${taken}(?=${inPattern(piece)})`].join("|");
    if (piece[0] !== "[") return [...ways, "(?!)"].join("|"); // two parts with nothing between
    ways.push(`${taken}(?=${inPattern(textAtFirst(piece[1]))})`); // if that is missing, what follows it ends the part
  }
  return [...ways, ".*"].join("|");
}

/** Return the text of the first form all of whose parts have a value; of the last one in any case. */
export function fillText(forms, ...values) {
  for (const form of forms.slice(0, -1)) {
    const made = filledForm(form, values, true);
    if (made !== null) return made;
  }
  return filledForm(forms.at(-1), values, false) ?? "";
}

/** Return the text of the first form that has a part with a value, and each that it must have; else null. */
export function textIfTold(forms, ...values) {
  for (const form of forms) {
    const parts = form.filter((piece) => typeof piece === "number" || piece[0] === "...");
    const told = parts.some((piece) => (values[Array.isArray(piece) ? piece[1] : piece] ?? "") !== "");
    const made = told ? filledForm(form, values, true) : null;
    if (made !== null) return made;
  }
  return null;
}

/** Return the text of a form, null where a part has no value and is `needed`. */
export function filledForm(form, values, needed) {
  let made = "";
  for (const piece of form) {
    if (typeof piece === "string") made += piece;
    else if (piece[0] === "_") {
      if (needed && !piece[1]) return null; // what is nobody's, and is written as nothing, makes no form of its own
      made += piece[1];
    } else if (piece[0] === "[") made += filledForm(piece[1], values, true) ?? "";
    else {
      const value = values[Array.isArray(piece) ? piece[1] : piece] ?? "";
      if (value === "" && needed) return null;
      made += value;
    }
  }
  return made;
}

/** Return a part of a text that was put together of several, all of it as the last part where it was not. */
export function partOrAll(text, forms, count, number) {
  try {
    return splitText(text, forms, count)[number] ?? "";
  } catch {
    return number === count - 1 ? text : "";
  }
}

/** Return a part of a text that may lack it, null where it does. */
export function partIfTold(text, forms, count, number) {
  try {
    return splitText(text, forms, count)[number];
  } catch {
    return null;
  }
}

/** Return a text without the double quotes around it; one without them is as it is. */
export function unquoted(text) {
  return text?.length > 1 && text.startsWith('"') && text.endsWith('"') ? text.slice(1, -1) : (text ?? "");
}

/** Return a text in double quotes; an empty one is as it is. */
export function inQuotes(text) {
  return text && `"${text}"`;
}

/** Return an address, an IPv6 one in brackets (RFC 3986 section 3.2.2). */
export function inBrackets(address) {
  return address.includes(":") ? `[${address}]` : address;
}

/** Return an address without the brackets around it. */
export function withoutBrackets(address) {
  return address.startsWith("[") && address.endsWith("]") ? address.slice(1, -1) : address;
}

/** Return the address of `address:port`, an IPv6 one in brackets. */
export function addressBeforePort(text) {
  const found = /^(.*):\d+$/su.exec(text);
  const apart = found && (!found[1].includes(":") || found[1].endsWith("]"));
  return withoutBrackets(apart ? found[1] : text);
}

/** Return an address if it is one of IPv4 or IPv6; what is no address counts as one of IPv4. */
export function ofVersion(address, version) {
  return (isIP(address) || 4) === version ? address : null;
}

/** Return the number that digits stand for; throw for what are none. */
export function wholeNumber(text) {
  if (typeof text === "string" && /^-?[0-9]{1,4000}$/.test(text)) return Number(text);
  throw new RangeError(`${asShown(text)} is no whole number`);
}

/** Return a whole number's text, null for nothing; throw for what is none. */
export function numberAsText(number) {
  if (number == null) return null;
  if (Number.isInteger(number) || typeof number === "bigint") return BigInt(number).toString();
  throw new RangeError(`${asShown(number)} is no whole number`);
}

/** Return the number that hexadecimal digits stand for; throw for what are none. */
export function numberOfHex(text) {
  const found = typeof text === "string" ? /^(-?)([0-9A-Fa-f]{1,400})$/.exec(text) : null;
  if (!found) throw new RangeError(`${asShown(text)} is no hexadecimal number`);
  return Number(`0x${found[2]}`) * (found[1] ? -1 : 1);
}

/** Return a whole number's hexadecimal digits, null for nothing; throw for what is none. */
export function hexOfNumber(number) {
  if (number == null) return null;
  if (Number.isInteger(number) || typeof number === "bigint") return BigInt(number).toString(16);
  throw new RangeError(`${asShown(number)} is no whole number`);
}

/** Return the number that digits stand for, 0 for what are none. */
export function numberOrZero(text) {
  return /^-?[0-9]{1,4000}$/.test(text ?? "") ? Number(text) : 0;
}

/** Return the digits of a fraction that stands as a whole number of its smallest unit. */
export function fractionDigits(number, width) {
  return numberAsText(number).padStart(width, "0");
}

/** Return a fraction's digits as a whole number of its smallest unit. */
export function fractionNumber(digits, width) {
  return numberOrZero((digits ?? "").slice(0, width).padEnd(width, "0"));
}

/** Return the number, truth or null that a text says as JSON writes it; any other text as it is. */
export function scalarOfText(text) {
  const plain = { true: true, false: false, null: null };
  if (Object.hasOwn(plain, text ?? "")) return plain[text];
  return /^(0|-?[1-9][0-9]{0,17})$/.test(text ?? "") ? Number(text) : text;
}

/** Return what stands at one of two places; throw where nothing does. */
export function toldAtOne(value, here, there) {
  if (value == null) throw new RangeError(`nothing stands at ${here}, and nothing at ${there}`);
  return value;
}

/** Return how many a list holds. */
export function countOf(items) {
  if (!Array.isArray(items)) throw new RangeError(`${asShown(items)} is no list`);
  return items.length;
}

/** Return a list of so many, none of which is told. */
export function listOfCount(number) {
  return Array(Math.max(0, Math.min(number, 1000))).fill(null);
}

/** Return a number as text, an empty one for nothing. */
export function numberToText(number) {
  return number == null ? "" : String(number);
}

/** Return the number that a text says, null for an empty one; throw for what says none. */
export function numberFromText(text) {
  return text ? wholeNumber(text.trim()) : null;
}

/** Return a number of units as a number of what they are made of; throw for what is no whole number. */
export function timesOf(number, factor) {
  if (Number.isInteger(number)) return number * factor;
  throw new RangeError(`${asShown(number)} is no whole number`);
}

/** Return how many whole units there are in a number, null for nothing. */
export function wholeUnits(number, factor) {
  return number == null ? null : Math.floor(number / factor);
}

/** Return 2 for what comes again, 1 for what comes the first time. */
export function attemptIfAgain(again) {
  return isFilled(again) ? 2 : 1;
}

/** Tell whether an attempt is another one than the first. */
export function comesAgain(attempt) {
  return attempt > 1;
}
