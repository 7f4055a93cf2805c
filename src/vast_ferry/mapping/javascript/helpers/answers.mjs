// The content of answers as handlers give it: text, bytes, JSON in a style, under one of several keys; status lines.
import { STATUS_CODES } from "node:http";

/** Return an answer's content: text in UTF-8, bytes, any other value as JSON in a style. */
export function contentBytes(value, style) {
  if (value == null) return Buffer.alloc(0);
  if (typeof value === "string") return utf8(value);
  if (ArrayBuffer.isView(value) || value instanceof ArrayBuffer) return bytesOf(value, "");
  if (style.includes("no_json") || (style.includes("no_numbers") && typeof value !== "object")) {
    throw new TypeError(`an answer's content is not ${kindOf(value)}`);
  }
  return jsonInStyle(value, style);
}

/** Return a value as JSON in UTF-8: spaced or not, its keys sorted or not, in ASCII or not. */
export function jsonInStyle(value, style) {
  const [comma, colon] = style.includes("spaced") ? [", ", ": "] : [",", ":"];
  const written = (one) => {
    if (Array.isArray(one)) return `[${one.map((inner) => written(inner) ?? "null").join(comma)}]`;
    if (!isMapping(one) || typeof one.toJSON === "function") return JSON.stringify(one);
    const entries = Object.entries(one).map(([name, inner]) => [name, written(inner)]);
    if (style.includes("sorted")) entries.sort(([left], [right]) => (left < right ? -1 : 1));
    const told = entries.filter(([, text]) => text !== undefined);
    return `{${told.map(([name, text]) => `${JSON.stringify(name)}${colon}${text}`).join(comma)}}`;
  };
  const text = written(value) ?? jsonToText(value);
  return utf8(style.includes("ascii") ? inAscii(text) : text);
}

/** Return as what a content was given: text, bytes, json, or an empty text for none. */
export function kindOfContent(value, style = []) {
  if (value == null || (value === "" && style.includes("empty_is_none"))) return "";
  if (typeof value === "string") return "text";
  return ArrayBuffer.isView(value) || value instanceof ArrayBuffer ? "bytes" : "json";
}

/** Return the content that stands under one of several keys; throw for two, or for another type. */
export function contentByKey(reply, kinds, style) {
  const said = Object.keys(kinds).filter((key) => reply[key] !== undefined);
  if (said.length > 1) throw new TypeError(`an answer has ${said.join(" or ")}, not both`);
  if (!said.length) return Buffer.alloc(0);
  const [value, kind] = [reply[said[0]], kinds[said[0]]];
  if (kind === "json") return jsonInStyle(value, style);
  if (kind === "text" && typeof value === "string") return utf8(value);
  if (kind === "bytes" && ArrayBuffer.isView(value)) return bytesOf(value, "");
  if (kind === "base64" && typeof value === "string") return base64Bytes(value);
  throw new TypeError(`${said[0]} is ${kind}, not ${kindOf(value)}`);
}

/** Return as what a content was given that stands under one of several keys. */
export function kindByKey(reply, kinds) {
  const key = Object.keys(kinds).find((one) => reply[one] !== undefined);
  return kinds[key] === "base64" ? "bytes" : (kinds[key] ?? "");
}

/** Return content under its key, nothing where there is none. */
export function contentUnder(content, key, asText) {
  return content.length ? { [key]: asText ? utf8Text(content) : content } : {};
}

/** Return content under its key: as text where it is and there is a key for it, else in Base64; nothing for none. */
export function contentUnderEither(content, textKey, packedKey) {
  if (!content.length) return {};
  return textKey !== null && isUtf8(content) ? { [textKey]: utf8Text(content) } : { [packedKey]: base64Text(content) };
}

/** Return header fields as a list of pairs. */
export function asPairs(headers) {
  return headers;
}

/** Return header fields as one list, each name before its value. */
export function asFlat(headers) {
  return headers.flat();
}

/** Return header fields given in any usual form, in their order. */
export function headerFields(fields, name, value) {
  if (fields == null) return [];
  if (isMapping(fields)) {
    const all = Object.entries(fields).flatMap(([own, of]) => (Array.isArray(of) ? of : [of]).map((one) => [own, one]));
    return all.filter(([, one]) => one != null).map(([own, one]) => [own, String(one)]);
  }
  const listed = Array.from(fields);
  if (typeof listed[0] === "string") return pairsOfFlat(listed);
  return listed.map((field) => (Array.isArray(field) ? [field[0], field[1]] : [field[name], field[value]]));
}

/** Return a status that is a number or digits; the usual one where none was said. */
export function statusSaid(status, usual) {
  if (status == null) return usual;
  return typeof status === "string" && /^\d+$/.test(status) ? Number(status) : status;
}

/** Return a status with its reason phrase. */
export function statusLine(status) {
  return `${status} ${STATUS_CODES[status] ?? "Unassigned"}`;
}

/** Return the status code of a status line. */
export function statusFromLine(line) {
  return wholeNumber(line.slice(0, 3));
}

/** An answer that comes piece by piece: what came first, if that is no piece, and all pieces. */
export class Pieces {
  constructor(head, pieces) {
    this.head = head;
    this.pieces = pieces;
  }
}

/** Return what a generator answered with as a whole, null where it gave nothing; any other answer as it is. */
export async function gathered(reply, isHead) {
  if (typeof reply?.next !== "function") return reply;
  const items = [];
  for await (const item of reply) items.push(item);
  if (!items.length) return null;
  return isHead(items[0]) ? new Pieces(items[0], items.slice(1)) : new Pieces(null, items);
}

/** Return the content that pieces of text and bytes make. */
export function joinedPieces(pieces) {
  return Buffer.concat(pieces.map((piece) => bytesOf(piece, "")));
}

/** Return the content of an answer in pieces whose first part is one itself. */
export function headAndPieces(reply, attribute) {
  const first = reply.head?.[attribute];
  return joinedPieces([...(first == null ? [] : [first]), ...reply.pieces]);
}
