// Content: bytes and text by the charset of its type, Base64, compressed, in pieces and files, JSON.
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { deflateSync, gunzipSync, gzipSync, inflateSync } from "node:zlib";

/** Return the charset that a content type names, if it is known here, or `utf-8`. */
export function charsetOf(contentType) {
  const found = /;\s*charset\s*=\s*"?([^\s;"]+)/i.exec(contentType);
  const named = (found?.[1] ?? "utf-8").toLowerCase();
  if (["iso-8859-1", "latin-1", "latin1", "iso8859-1", "l1"].includes(named)) return "latin1";
  if (["ascii", "us-ascii"].includes(named)) return "ascii";
  try {
    return new TextDecoder(named).encoding;
  } catch {
    return "utf-8";
  }
}

/** Return the charset of a textual content type (text, JSON, XML, a form), or an empty text for any other. */
export function textCharset(contentType) {
  const media = contentType.split(";", 1)[0].trim().toLowerCase();
  const known = ["application/json", "application/xml", "application/x-www-form-urlencoded"];
  const textual = media.startsWith("text/") || known.includes(media) || /\+(?:json|xml)$/.test(media);
  return textual ? charsetOf(contentType) : "";
}

/** Return which byte stands for each character of a charset of single bytes, or null for any other charset. */
export function singleBytes(charset) {
  const table = new Map();
  const decoder = new TextDecoder(charset, { fatal: true });
  for (let byte = 0; byte < 256; byte += 1) {
    try {
      const character = decoder.decode(Uint8Array.of(byte));
      if (character.length === 1) table.set(character, byte);
    } catch {
      if (byte < 128) return null;
    }
  }
  return table.size >= 200 ? table : null;
}

/** Return the bytes of a text in a charset; throw for what it can't hold. */
export function encoded(text, charset) {
  if (charset === "utf-8") return utf8(text);
  const most = { ascii: 0x7f, latin1: 0xff }[charset];
  const table = most ? null : singleBytes(charset);
  if (!most && !table) throw new RangeError(`${charset} can't be written by JavaScript`);
  return Buffer.from(Uint8Array.from(text, (character) => {
    const byte = most ? character.codePointAt(0) : table.get(character);
    if (byte === undefined || (most && byte > most)) {
      throw new RangeError(`${JSON.stringify(character)} can't be encoded in ${charset}`);
    }
    return byte;
  }));
}

/** Return the text of bytes in a charset; bytes that it can't decode become U+FFFD, or throw where it is `strict`. */
export function decoded(bytes, charset, strict = false) {
  if (charset === "latin1") return Buffer.from(bytes).toString("latin1");
  if (charset === "ascii") {
    if (strict && bytes.some((byte) => byte > 0x7f)) throw new RangeError("bytes that are not ASCII");
    return String.fromCharCode(...Array.from(bytes, (byte) => (byte > 0x7f ? 0xfffd : byte)));
  }
  return new TextDecoder(charset, { fatal: strict, ignoreBOM: charset === "utf-8" }).decode(bytes);
}

/** Return the content as text, by the charset of its type. */
export function bodyText(body, contentType) {
  return decoded(body, charsetOf(contentType));
}

/** Return the bytes of a text, by the charset of the content's type. */
export function textBody(text, contentType) {
  return text ? encoded(text, charsetOf(contentType)) : Buffer.alloc(0);
}

/** Return the JSON value of the content (RFC 8259). */
export function bodyJson(body) {
  return JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(body));
}

/** Return the bytes of a content that may be bytes, text or nothing; as a Buffer, as everywhere in Node. */
export function bytesOf(content, contentType) {
  if (content === null || content === undefined) return Buffer.alloc(0);
  if (Buffer.isBuffer(content)) return content;
  if (typeof content === "string") return encoded(content, charsetOf(contentType));
  if (content instanceof ArrayBuffer) return Buffer.from(content);
  if (ArrayBuffer.isView(content)) return Buffer.from(content.buffer, content.byteOffset, content.byteLength);
  throw new TypeError(`content is text or bytes, not ${content.constructor?.name ?? typeof content}`);
}

/** Return bytes that the platform's own objects gave, as a Buffer. */
export function bufferOf(octets) {
  return bytesOf(octets, "");
}

/** Return bytes as the platform's own objects give them: no Buffer, but what that is made on. */
export function octetsOf(body) {
  return new Uint8Array(body);
}

/** Return [text, false] for textual content that its charset decodes, else [Base64, true]. */
export function textOrPacked(body, contentType) {
  if (!body.length) return ["", false];
  const charset = textCharset(contentType);
  if (charset) {
    try {
      const text = decoded(body, charset, true);
      // Only what comes back unchanged goes as text.
      if (charset === "utf-8" || Buffer.from(encoded(text, charset)).equals(Buffer.from(body))) return [text, false];
    } catch {
      // It goes as Base64.
    }
  }
  return [Buffer.from(body).toString("base64"), true];
}

/** Return the bytes of a content given as text, or as Base64 where it is packed. */
export function fromTextOrPacked(content, packed, contentType) {
  if (content === null || content === undefined || content === "") return Buffer.alloc(0);
  if (typeof content !== "string") {
    const wanted = ArrayBuffer.isView(content) || content instanceof ArrayBuffer ? "text" : "text or bytes";
    throw new TypeError(`content is ${wanted}, not ${content.constructor?.name ?? typeof content}`);
  }
  if (!packed) return encoded(content, charsetOf(contentType));
  return base64Bytes(content);
}

/** Return what is gone through asynchronously, as bytes. */
export async function bytesOfAsyncPieces(stream) {
  const pieces = [];
  for await (const piece of stream) pieces.push(bytesOf(piece, ""));
  return Buffer.concat(pieces);
}

/** Return what is gone through asynchronously to get some bytes: nothing where there are none. */
export function asyncPiecesOf(body) {
  return { async *[Symbol.asyncIterator]() { if (body.length) yield Buffer.from(body); } };
}

/** Return a JSON value in UTF-8, as it is written without spaces. */
export function jsonBytes(value) {
  return utf8(jsonToText(value));
}

/** Return a JSON value as text, without spaces; throw for what is none. */
export function jsonToText(value) {
  const text = JSON.stringify(value ?? null);
  if (text === undefined) throw new TypeError(`${asShown(value)} is no JSON value`);
  return text;
}

/** Return a JSON value as text in ASCII. */
export function jsonToAscii(value) {
  return inAscii(jsonToText(value));
}

/** Return a JSON text in ASCII: whatever is not is escaped. */
export function inAscii(text) {
  return text.replace(/[^\x00-\x7f]/g, (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, "0")}`);
}

/** Return the JSON value of a text, null for an empty one. */
export function jsonFromText(text) {
  return text ? JSON.parse(text) : null;
}

/** Return the JSON value of a text, numbers that JavaScript can't hold as they were written; null for an empty one. */
export function exactFromText(text) {
  const exactly = (_, value, { source }) => (typeof value === "number" && source !== String(value) ? JSON.rawJSON(source) : value);
  return text ? JSON.parse(text, JSON.rawJSON && exactly) : null;
}

/** Return a JSON value as UTF-8 bytes. */
export function jsonToBytes(value) {
  return jsonBytes(value);
}

/** Return the JSON value of UTF-8 bytes, null for none. */
export function jsonFromBytes(body) {
  return body.length ? bodyJson(body) : null;
}

/** Return the value of a JSON text, null for an empty one. */
export function jsonOrNothing(text) {
  return jsonFromText(text);
}

/** Return a value as a JSON text, nothing as an empty one. */
export function jsonOrEmpty(value) {
  return value == null ? "" : jsonToText(value);
}

/** Return a JSON value as its text without spaces, in UTF-8; nothing as no content. */
export function bytesOfValue(value) {
  return value == null ? Buffer.alloc(0) : jsonBytes(value);
}

/** Return the JSON value that bytes hold; as text where they hold none, and null for no content. */
export function valueOfBytes(body) {
  if (!body.length) return null;
  try {
    return JSON.parse(utf8Text(body));
  } catch {
    return utf8Text(body);
  }
}

/** Tell whether a media type is JSON (RFC 8259, or `+json` of RFC 6839). */
export function saysJson(contentType) {
  const media = (contentType ?? "").split(";", 1)[0].trim().toLowerCase();
  return media === "application/json" || media.endsWith("+json");
}

/** Return the content of a JSON value where the type says JSON, else of a text; nothing as no content. */
export function bytesOfValueOrText(value, contentType) {
  if (value == null) return Buffer.alloc(0);
  if (saysJson(contentType)) return bytesOfValue(value);
  if (typeof value === "string") return utf8(value);
  throw new RangeError(`${contentType || "no type"} is no JSON, and ${asShown(value)} is no text`);
}

/** Return content as the JSON value that it holds where its type says JSON, else as text. */
export function valueOrText(body, contentType) {
  if (saysJson(contentType)) return valueOfBytes(body);
  return body.length ? utf8Text(body) : null;
}

/** Return [value, null] for JSON or text that gives back the very same bytes, else [null, Base64]. */
export function dataOrBase64(body, contentType) {
  const packed = [null, base64Text(body)];
  const charset = textCharset(contentType);
  if (!charset || !body.length) return packed;
  try {
    const text = decoded(body, charset, true);
    const json = contentType.toLowerCase().includes("json");
    const value = json ? JSON.parse(text) : text;
    const again = json ? jsonBytes(value) : utf8(text);
    return value !== null && again.equals(body) ? [value, null] : packed;
  } catch {
    return packed;
  }
}

/** Return the bytes of a content given as a JSON value or text, or as Base64. */
export function bodyFromData(data, packed, contentType) {
  if (packed != null) return base64Bytes(packed);
  if (typeof data === "string" && !contentType.toLowerCase().includes("json")) return utf8(data);
  return bytesOfValue(data);
}

/** Return the bytes of a Base64 text, or throw. */
export function base64Bytes(text) {
  if (text.length % 4 || !/^[A-Za-z0-9+/]*={0,2}$/.test(text)) throw new RangeError(`${asShown(text)} is no Base64`);
  return Buffer.from(text, "base64");
}

/** Return bytes as a Base64 text. */
export function base64Text(body) {
  return Buffer.from(body).toString("base64");
}

/** Return the bytes of a Base64 text as URLs have it, with or without `=` at its end, or throw. */
export function base64urlBytes(text, padded = false) {
  const plain = padded ? someText(text).replace(/=+$/, "") : someText(text);
  return base64Bytes(plain.replaceAll("-", "+").replaceAll("_", "/").padEnd(Math.ceil(plain.length / 4) * 4, "="));
}

/** Return bytes as a Base64 text as URLs have it (RFC 4648 section 5). */
export function base64urlText(body, padded = false) {
  const text = Buffer.from(body).toString("base64url");
  return padded ? text.padEnd(Math.ceil(text.length / 4) * 4, "=") : text;
}

/** Return the bytes of a text that has a character for each, or throw. */
export function latin1Bytes(text) {
  return encoded(someText(text), "latin1");
}

/** Return bytes as a text with a character for each. */
export function latin1Text(body) {
  return decoded(body, "latin1");
}

/** Return the bytes of a list of numbers from 0 to 255, or throw. */
export function bytesOfNumbers(numbers) {
  const good = Array.isArray(numbers) && numbers.every((one) => Number.isInteger(one) && one >= 0 && one < 256);
  if (!good) throw new RangeError("this is no list of numbers from 0 to 255");
  return Buffer.from(numbers);
}

/** Return bytes as a list of numbers from 0 to 255. */
export function numbersOfBytes(body) {
  return [...body];
}

/** Return the bytes of a text in UTF-8, or throw for what is none. */
export function utf8Bytes(text) {
  return utf8(someText(text));
}

/** Return the text of UTF-8 bytes; what is no UTF-8 becomes U+FFFD. */
export function utf8Text(body) {
  return decoded(body, "utf-8");
}

/** Return the text of UTF-8 bytes, or throw for what is none. */
export function textOfUtf8(body) {
  return decoded(body, "utf-8", true);
}

/** Tell whether bytes are text in UTF-8. */
export function isUtf8(body) {
  try {
    textOfUtf8(body);
    return true;
  } catch {
    return false;
  }
}

/** Return the bytes that hexadecimal digits stand for, or throw. */
export function hexBytes(text) {
  if (!/^\s*(?:[0-9a-fA-F]{2}\s*)*$/.test(someText(text))) throw new RangeError(`${asShown(text)} is not hexadecimal`);
  return Buffer.from(text.replace(/\s/g, ""), "hex");
}

/** Return bytes as hexadecimal digits. */
export function hexText(body) {
  return Buffer.from(body).toString("hex");
}

/** The forms of bytes in which pieces may stand: what reads and what writes each. */
export const FORMS_OF_BYTES = {
  base64: [base64Bytes, base64Text],
  base64url: [base64urlBytes, base64urlText],
  hex: [hexBytes, hexText],
  latin1: [latin1Bytes, latin1Text],
  octets: [bytesOfNumbers, numbersOfBytes],
  utf8: [utf8Bytes, utf8Text],
};

/** Return the bytes of a list of pieces, each in a form of bytes. */
export function bytesOfPiecesIn(pieces, form) {
  if (!Array.isArray(pieces)) throw new RangeError("this is no list of pieces");
  return Buffer.concat(pieces.map((piece) => FORMS_OF_BYTES[form][0](piece)));
}

/** Return bytes as a list with one piece in a form of bytes, without any where there are none. */
export function piecesIn(body, form) {
  return body.length ? [FORMS_OF_BYTES[form][1](body)] : [];
}

/** A small gzip may hold a large content; this is more than any provider hands over. */
export const LARGEST_CONTENT = 512 * 1024 * 1024;

/** Return what was compressed (RFC 1952), or throw where it is not or is too large. */
export function gunzipped(body) {
  try {
    return gunzipSync(body, { maxOutputLength: LARGEST_CONTENT });
  } catch (error) {
    throw new RangeError(`this is no gzip: ${error.message}`);
  }
}

/** Return content compressed, always to the same bytes. */
export function gzipped(body) {
  return gzipSync(body, { level: 9 });
}

/** Return what was compressed (RFC 1950), or throw where it is not or is too large. */
export function inflated(body) {
  try {
    return inflateSync(body, { maxOutputLength: LARGEST_CONTENT });
  } catch (error) {
    throw new RangeError(`this is no zlib: ${error.message}`);
  }
}

/** Return content compressed (RFC 1950), always to the same bytes. */
export function deflated(body) {
  return deflateSync(body, { level: 9 });
}

/** The letters of Base32 (RFC 4648 section 6). */
export const BASE32 = "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";

/** Return the bytes of a text in Base32, padded or not; none of nothing. */
export function base32Bytes(text) {
  const letters = (text ?? "").replace(/=+$/, "");
  if (!/^[A-Z2-7]*$/.test(letters) || [1, 3, 6].includes(letters.length % 8)) {
    throw new RangeError(`${asShown(text)} is no Base32`);
  }
  const bits = [...letters].map((letter) => BASE32.indexOf(letter).toString(2).padStart(5, "0")).join("");
  return Buffer.from((bits.match(/[01]{8}/g) ?? []).map((octet) => Number.parseInt(octet, 2)));
}

/** Return bytes in Base32, padded. */
export function base32Text(body) {
  const bits = [...body].map((octet) => octet.toString(2).padStart(8, "0")).join("");
  const letters = (bits.match(/[01]{1,5}/g) ?? []).map((five) => BASE32[Number.parseInt(five.padEnd(5, "0"), 2)]);
  return letters.join("").padEnd(Math.ceil(letters.length / 8) * 8, "=");
}

/** Return the bytes of a text in percent-encoding (RFC 3986 section 2.1); none of nothing. */
export function percentBytes(text) {
  if (/%(?![0-9A-Fa-f]{2})/.test(text ?? "")) throw new RangeError(`${asShown(text)} is no percent-encoding`);
  const parts = (text ?? "").split(/((?:%[0-9A-Fa-f]{2})+)/);
  return Buffer.concat(parts.map((part) => (part.startsWith("%") ? Buffer.from(part.replaceAll("%", ""), "hex") : Buffer.from(part))));
}

/** Return bytes in percent-encoding, all but the unreserved ones. */
export function bytesPercent(body) {
  const plain = (octet) => /[A-Za-z0-9_.~-]/.test(String.fromCharCode(octet));
  return [...body].map((octet) => (plain(octet) ? String.fromCharCode(octet) : `%${octet.toString(16).toUpperCase().padStart(2, "0")}`)).join("");
}

/** Return what a file holds; nothing where there is none. */
export function bytesInFile(path) {
  return path == null ? Buffer.alloc(0) : readFileSync(path);
}

/** The folders of files that were made for content, oldest first: nobody says when one was read. */
export const FOLDERS = [];

/** Return the path of a file that holds the content, null where there is none. */
export function fileWith(body) {
  if (!body.length) return null;
  if (!FOLDERS.length) process.once("exit", () => removeFolders(0));
  FOLDERS.push(mkdtempSync(join(tmpdir(), "content-")));
  writeFileSync(join(FOLDERS.at(-1), "content"), body);
  removeFolders(100); // more are not being read at once
  return join(FOLDERS.at(-1), "content");
}

/** Leave so many of the files that were made for content, the newest. */
export function removeFolders(most) {
  while (FOLDERS.length > most) rmSync(FOLDERS.shift(), { recursive: true, force: true });
}

/** Return which of some words one is, the first where there is none; throw with those known. */
export function toldWord(word, words) {
  const at = word == null ? 0 : words.indexOf(word);
  if (at >= 0) return at;
  throw new RangeError(`${asShown(word)} is none of ${words.join(", ")}`);
}

/** Return all that a stream holds, which is read once; bytes as they are. */
export function bytesRead(stream) {
  return bytesOf(typeof stream?.read === "function" ? stream.read() : stream, "");
}

/** Return a stream of bytes, to be read once: what it gives after that is empty. */
export function streamOver(body) {
  let left = Buffer.from(body);
  return { read() { const given = left; left = Buffer.alloc(0); return given; } };
}
