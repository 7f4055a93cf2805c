// Moments: RFC 3339 texts, and whole units since 1970.

/** Return the moment of an RFC 3339 text in whole nanoseconds since 1970, later digits cut off; 0n for none. */
export function epochNsFromTime(text) {
  if (!text) return 0n;
  const found = /^(\d{4}-\d\d-\d\d)[Tt ](\d\d:\d\d:\d\d)(?:\.(\d+))?(?:[Zz]|([+-]\d\d:\d\d))$/.exec(text);
  const seconds = found ? Date.parse(`${found[1]}T${found[2]}${found[4] ?? "Z"}`) / 1000 : NaN;
  if (!Number.isFinite(seconds)) throw new RangeError(`${JSON.stringify(text)} is no moment by RFC 3339`);
  return BigInt(seconds) * 1_000_000_000n + BigInt((found[3] ?? "").slice(0, 9).padEnd(9, "0"));
}

/** Return whole milliseconds since 1970 of an RFC 3339 text, later digits cut off; 0 for none. */
export function epochMsFromTime(text) {
  return Number(floorOf(epochNsFromTime(text), 1_000_000n));
}

/** Return whole seconds since 1970 of an RFC 3339 text, later digits cut off; 0 for none. */
export function epochSFromTime(text) {
  return Number(floorOf(epochNsFromTime(text), 1_000_000_000n));
}

/** Return how often a whole number goes into another, rounded down. */
export function floorOf(number, by) {
  const made = number / by;
  return number % by < 0n ? made - 1n : made;
}

/** Return the RFC 3339 text of a second since 1970, in UTC, without what stands for the zone. */
export function secondOf(seconds) {
  const text = new Date(Number(seconds) * 1000).toISOString();
  return text.slice(0, text.length - 5);
}

/** Return the RFC 3339 text of whole milliseconds since 1970, in UTC. */
export function timeFromEpochMs(moment) {
  if (!Number.isInteger(moment)) throw new TypeError(`a moment is a whole number, not ${moment}`);
  return `${secondOf(Math.floor(moment / 1000))}.${String(((moment % 1000) + 1000) % 1000).padStart(3, "0")}Z`;
}

/** Return the RFC 3339 text of whole seconds since 1970, in UTC. */
export function timeFromEpochS(moment) {
  if (!Number.isInteger(moment)) throw new TypeError(`a moment is a whole number, not ${moment}`);
  return `${secondOf(moment)}Z`;
}

/** Return the RFC 3339 text of whole nanoseconds since 1970 (a BigInt), in UTC. */
export function timeFromEpochNs(moment) {
  const whole = floorOf(BigInt(moment), 1_000_000_000n);
  return `${secondOf(whole)}.${String(BigInt(moment) - whole * 1_000_000_000n).padStart(9, "0")}Z`;
}

/** Return the present moment as RFC 3339 text in UTC, in milliseconds. */
export function now() {
  return timeFromEpochMs(Date.now());
}
