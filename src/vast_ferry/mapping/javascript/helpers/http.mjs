// Requests and replies: paths, queries, routes, header fields, status (RFC 9110, RFC 9112, RFC 6265).

/** Return the path percent-decoded as UTF-8. */
export function decodePath(raw) {
  return percentDecoded(raw);
}

/** Return a wire form of a decoded path; slashes stay slashes. */
export function encodePath(path) {
  return percentEncoded(path, "/!$&'()*+,;=:@~");
}

/** Return the decoded [name, value] pairs of a raw query, in order; a part without `=` has an empty value. */
export function parseQuery(raw) {
  return raw.split("&").filter(Boolean).map((part) => {
    const at = part.indexOf("=");
    const [name, value] = at < 0 ? [part, ""] : [part.slice(0, at), part.slice(at + 1)];
    return [percentDecoded(name.replaceAll("+", " ")), percentDecoded(value.replaceAll("+", " "))];
  });
}

/** Return a wire form of decoded query pairs (application/x-www-form-urlencoded). */
export function buildQuery(pairs) {
  const form = (text) => percentEncoded(text, " ").replaceAll(" ", "+");
  return pairs.map(([name, value]) => `${form(name)}=${form(value)}`).join("&");
}

/** Return path and query as on a request line. */
export function targetOf(path, query) {
  return query ? `${path}?${query}` : path;
}

/** Return the path of a target (RFC 9112 section 3.2.1). */
export function pathOfTarget(target) {
  return target.split("?", 1)[0];
}

/** Return the query of a target. */
export function queryOfTarget(target) {
  const at = target.indexOf("?");
  return at < 0 ? "" : target.slice(at + 1);
}

/** Return an RFC 6570 route with captures spelt as `one` (a segment) and `rest` (all that follows). */
export function routeToStyle(template, one, rest) {
  return template.replace(/\{(\+?)(\w+)\}/g, (_, plus, name) => (plus ? rest : one).replaceAll("name", name));
}

/** Return the RFC 6570 template of a route whose captures are spelt as `one` and `rest`. */
export function routeFromStyle(text, one, rest) {
  const form = (style, group) => style.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&").replace("name", `(?<${group}>\\w+)`);
  const either = new RegExp(`${form(rest, "rest")}|${form(one, "one")}`, "g");
  return text.replace(either, (...found) => {
    const { rest: all, one: segment } = found.at(-1);
    return all ? `{+${all}}` : `{${segment}}`;
  });
}

/**
 * Return the decoded captures of an RFC 6570 route in a raw path, or null where it does not match.
 *
 * Segments are told apart before they are decoded, so an encoded slash stays inside its segment.
 */
export function matchRoute(template, wirePath) {
  const wanted = template.split("/");
  const given = wirePath.split("/");
  const captures = new Map();
  for (const [index, segment] of wanted.entries()) {
    if (segment.startsWith("{+") && segment.endsWith("}")) {
      captures.set(segment.slice(2, -1), percentDecoded(given.slice(index).join("/")));
      return index < given.length ? Object.fromEntries(captures) : null;
    }
    if (index >= given.length) return null;
    const value = percentDecoded(given[index]);
    if (segment.startsWith("{") && segment.endsWith("}")) {
      if (!value) return null;
      captures.set(segment.slice(1, -1), value);
    } else if (value !== percentDecoded(segment)) return null;
  }
  return wanted.length === given.length ? Object.fromEntries(captures) : null;
}

/** Return what a pattern such as `{apiary}/{day}.csv` captures of a key; `{rest...}` alone holds slashes. */
export function capturedBy(pattern, key) {
  const parts = pattern.split(/(\{\w*(?:\.\.\.)?\})/).map((part) => {
    if (!part.startsWith("{")) return part.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
    const name = part.slice(1, -1).replace(/\.\.\.$/, "");
    const some = part.endsWith("...}") ? (name ? ".+" : ".*") : "[^/]+";
    return name ? `(?<${name}>${some})` : some;
  });
  const found = new RegExp(`^${parts.join("")}$`, "su").exec(key);
  if (found === null) throw new RangeError(`the key ${JSON.stringify(key)} is not like ${pattern}`);
  return { ...found.groups };
}

/** Compare two routes so that the more exact one comes first: literal, then one segment, then the rest. */
export function byExactness(one, other) {
  const rank = (part) => (part.startsWith("{+") ? 2 : part.startsWith("{") ? 1 : 0);
  const [left, right] = [one.split("/").map(rank), other.split("/").map(rank)];
  for (let index = 0; index < Math.min(left.length, right.length); index += 1) {
    if (left[index] !== right[index]) return left[index] - right[index];
  }
  return left.length - right.length;
}

/** Return header fields as they may go out; throw for one that RFC 9110 section 5 does not allow. */
export function safeHeaders(headers) {
  for (const [name, value] of headers) {
    if (typeof name !== "string" || !/^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(name)) {
      throw new RangeError(`${JSON.stringify(name)} can't be the name of a header field (RFC 9110 section 5.1)`);
    }
    if (typeof value !== "string") throw new TypeError(`header field ${name}: a value is text, not ${typeof value}`);
    if (!/^[\t\x20-\x7e\x80-\xff]*$/.test(value)) {
      throw new RangeError(`header field ${name}: a value can't hold line ends, controls or non-Latin-1 text`);
    }
  }
  return headers;
}

/** Return a status if it can be that of a final reply (RFC 9110 section 15), or throw. */
export function finalStatus(code) {
  if (!Number.isInteger(code)) throw new TypeError(`a status is a whole number, not ${typeof code}`);
  if (code < 200 || code > 599) throw new RangeError(`${code} can't be the status of a final reply (200 to 599)`);
  return code;
}

/** Return header pairs as a mapping, names in lower case, the values of one name joined by `, ` in order. */
export function withJoined(pairs) {
  const joined = new Map();
  for (const [own, value] of pairs) {
    const name = own.toLowerCase();
    joined.set(name, joined.has(name) ? `${joined.get(name)}, ${value}` : value);
  }
  return Object.fromEntries(joined);
}

/** Return the pairs of a mapping from header names to values; what is joined stays joined. */
export function fromJoined(fields) {
  return Object.entries(fields ?? {}).map(([name, value]) => [name, String(value)]);
}

/** Return each name's first value. */
export function firstValues(pairs) {
  const first = new Map();
  for (const [name, value] of pairs) if (!first.has(name)) first.set(name, value);
  return Object.fromEntries(first);
}

/** Return each name's values, in order. */
export function toLists(pairs) {
  const lists = new Map();
  for (const [name, value] of pairs) lists.set(name, [...(lists.get(name) ?? []), value]);
  return Object.fromEntries(lists);
}

/** Return the pairs of a mapping from names to lists of values. */
export function fromLists(lists) {
  return Object.entries(lists ?? {}).flatMap(([name, values]) => values.map((value) => [name, value]));
}

/** Return [name, value] pairs of whatever is gone through in pairs. */
export function pairsOf(items) {
  return Array.from(items ?? [], ([name, value]) => [name, value]);
}

/** Return bytes as the platform hands them out bare, in memory of their own. */
export function arrayBuffer(bytes) {
  return Uint8Array.from(bytes).buffer;
}

/** Return the text of bytes by "UTF-8 decode" (WHATWG Encoding §6): without a mark, what is wrong as U+FFFD. */
export function webText(body) {
  return new TextDecoder().decode(body);
}

/** Return the JSON value of bytes that are read as `webText` reads them. */
export function webJson(body) {
  return JSON.parse(webText(body));
}

/** Return header fields as the platform keeps them. */
export function webHeaders(pairs) {
  return new Headers(pairs);
}

/** Return [name, value] pairs of one list in which names and values alternate. */
export function pairsOfFlat(flat) {
  if (!Array.isArray(flat) || flat.length % 2) throw new RangeError("this is no list of names and values by turns");
  const pairs = [];
  for (let index = 0; index + 1 < flat.length; index += 2) pairs.push([flat[index], flat[index + 1]]);
  return pairs;
}

/** Return one list in which names and values alternate. */
export function flatOfPairs(pairs) {
  return pairs.flat();
}

/** Return the header fields but those called `name`. */
export function without(headers, name) {
  return headers.filter(([own]) => own.toLowerCase() !== name);
}

/** Return header fields without Host and those of the connection (RFC 9110 section 7.6.1). */
export function withoutFraming(pairs) {
  const ofTheConnection = ["content-length", "transfer-encoding", "host", "connection"];
  return pairs.filter(([name]) => !ofTheConnection.includes(name.toLowerCase()));
}

/** Return the value of Host among header fields. */
export function hostAmong(pairs) {
  return valuesOf(pairs, "host")[0] ?? "";
}

/** Return a request's header fields with Host, and the length of a content where there is one. */
export function pairsWithHost(pairs, authority, body) {
  const host = authority ? [["host", authority]] : [];
  return [...host, ...pairs, ...(body.length ? [["content-length", String(body.length)]] : [])];
}

/** Return the values of the header fields called `name`, in order. */
export function valuesOf(headers, name) {
  return headers.filter(([own]) => own.toLowerCase() === name).map(([, value]) => value);
}

/** Return the Content-Type field's value, or an empty text. */
export function contentTypeOf(headers) {
  return valuesOf(headers, "content-type")[0] ?? "";
}

/** Return the header fields with a Content-Type, if they name none: `text` for text, else `binary`. */
export function withDefaultType(headers, isText, text, binary) {
  return contentTypeOf(headers) ? headers : [...headers, ["content-type", isText ? text : binary]];
}

/** Return header fields with the type of a content that names none, by what it was given as. */
export function withTypeFor(headers, kind, types, first) {
  if (!types[kind] || contentTypeOf(headers)) return headers;
  return first ? [["content-type", types[kind]], ...headers] : [...headers, ["content-type", types[kind]]];
}

/** Return the Cookie field's value; several fields are one list (RFC 9113 section 8.2.3). */
export function cookieOf(headers) {
  return valuesOf(headers, "cookie").join("; ");
}

/** Return the header fields with a Cookie field of that value, if it has one. */
export function withCookie(headers, cookie) {
  return cookie ? [...headers, ["cookie", cookie]] : headers;
}

/** Return the cookie-pairs of a Cookie field's value. */
export function splitCookies(cookie) {
  return cookie ? cookie.split(";").map((pair) => pair.trim()) : [];
}

/** Return the Cookie field's value for cookie-pairs. */
export function joinCookies(cookies) {
  return (cookies ?? []).join("; ");
}

/** Return the header fields with one Set-Cookie field a value: they can't be joined (RFC 6265 section 3). */
export function withSetCookies(headers, cookies) {
  return [...headers, ...(cookies ?? []).map((cookie) => ["set-cookie", cookie])];
}

/** Return the content of a reply, none where its status has none. */
export function contentFor(content, status, bodyless) {
  return bodyless.includes(status) ? Buffer.alloc(0) : content;
}

/** Return the header fields of a reply, without the type of a content where its status has none. */
export function fieldsFor(headers, status, bodyless) {
  return bodyless.includes(status) ? without(headers, "content-type") : headers;
}

/** Return the scheme of a connection that is encrypted or not. */
export function schemeIfSecure(secure) {
  return secure ? "https" : "http";
}

/** Tell whether a scheme's connections are encrypted. */
export function isSecure(scheme) {
  return scheme === "https";
}

/** Return the scheme of a URL. */
export function schemeOfUrl(url) {
  return url.slice(0, url.indexOf("://"));
}

/** Return the authority of a URL. */
export function authorityOfUrl(url) {
  return url.slice(url.indexOf("://") + 3).split(/[/?#]/, 1)[0];
}

/** Return the path and the query of a URL. */
export function targetOfUrl(url) {
  const rest = url.split("#", 1)[0];
  return rest.slice(rest.indexOf("://") + 3 + authorityOfUrl(url).length) || "/";
}

/** Return a whole URL. */
export function urlOf(scheme, authority, target) {
  return `${scheme}://${authority || "localhost"}${target}`;
}

/** Return a reply's content, null where it is empty or its status has none. */
export function contentOrNull(body, status) {
  return [204, 205, 304].includes(status) || body.length === 0 ? null : body;
}

/** Return the platform's own request of these parts; what it does not have by itself becomes a property of its own. */
export function webRequest({ method, url, headers, body, ...more }) {
  const content = body.length === 0 || method === "GET" || method === "HEAD" ? null : body;
  const made = new Request(url, { method, headers, body: content });
  const own = Object.entries(more).map(([name, value]) => [name, { value, writable: true, enumerable: true, configurable: true }]);
  return Object.defineProperties(made, Object.fromEntries(own));
}

/** The parts of a cookie that a server sets, and their attributes (RFC 6265 section 4.1), in the usual order. */
export const COOKIE_PARTS = {
  expires: "Expires",
  max_age: "Max-Age",
  domain: "Domain",
  path: "Path",
  secure: "Secure",
  http_only: "HttpOnly",
  same_site: "SameSite",
};

/** Return the values of Set-Cookie fields of cookies as records; `keys` are the names of their parts there. */
export function cookiesOfRecords(records, keys) {
  return (records ?? []).map((record) => {
    const unknown = Object.keys(record).filter((name) => !Object.values(keys).includes(name)).sort();
    if (unknown.length) throw new RangeError(`a cookie has no ${unknown.join(", ")}`);
    let text = `${heldUnder(record, keys.name)}=${record[keys.value] ?? ""}`;
    for (const [part, attribute] of Object.entries(COOKIE_PARTS)) {
      const value = record[keys[part]] ?? false;
      if (value !== false) text += value === true ? `; ${attribute}` : `; ${attribute}=${value}`;
    }
    return text;
  });
}

/** Return the values of Set-Cookie fields as records; attributes that are not known are left out. */
export function recordsOfCookies(cookies, keys) {
  const byName = new Map(Object.entries(COOKIE_PARTS).map(([part, attribute]) => [attribute.toLowerCase(), part]));
  return (cookies ?? []).map((cookie) => {
    const [pair, ...attributes] = cookie.split(";");
    const [name, value] = partedAt(pair.trim(), "=");
    const record = { [keys.name]: name, [keys.value]: value ?? "" };
    for (const attribute of attributes) {
      const [own, told] = partedAt(attribute.trim(), "=");
      const part = byName.get(own.toLowerCase());
      if (part) record[keys[part]] = part === "max_age" && /^-*\d+$/.test(told ?? "") ? Number(told) : (told ?? true);
    }
    return record;
  });
}

/** Return the header fields but those with certain names. */
export function withoutAll(headers, names) {
  return headers.filter(([name]) => !names.includes(name.toLowerCase()));
}

/** Return header fields, and behind them those that stand apart, where they have a value. */
export function withFieldsApart(headers, names, ...values) {
  const told = names.map((name, at) => [name, values[at]]).filter(([, value]) => (value ?? "") !== "");
  return [...(headers ?? []), ...told.map(([name, value]) => [name, String(value)])];
}

/** Return the first value of a header field, null where there is none. */
export function firstField(headers, name) {
  return valuesOf(headers, name)[0] ?? null;
}

/** Return the values of a name, its case aside where it is folded. */
export function valuesAskedFor(pairs, name, folded) {
  const fold = (one) => (folded ? one.toLowerCase() : one);
  return pairs.filter(([own]) => fold(own) === fold(name)).map(([, value]) => value);
}

/** Return the first value of a name, or another. */
export function valueAskedFor(pairs, name, folded, otherwise = null) {
  return valuesAskedFor(pairs, name, folded)[0] ?? otherwise;
}
