// Content: bytes and text by the charset of its type, Base64, pieces and streams, JSON.

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
  return encoded(text, charsetOf(contentType));
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
  if (content.length % 4 || !/^[A-Za-z0-9+/]*={0,2}$/.test(content)) throw new RangeError("this is no Base64");
  return Buffer.from(content, "base64");
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
  return utf8(JSON.stringify(value));
}
