// How text is encoded: percent-encoding and forms, byte by byte as RFC 3986 and the form media type say.

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
