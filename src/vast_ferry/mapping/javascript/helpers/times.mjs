// Moments: RFC 3339 texts, units since 1970 or since another moment, and texts that are spelt by a pattern.

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
  return number % by !== 0n && number < 0n !== by < 0n ? made - 1n : made;
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

/** Return the RFC 3339 text of whole seconds since 1970 as text, in UTC. */
export function timeFromEpochSText(moment) {
  return timeFromEpochS(wholeNumber(moment));
}

/** Return whole seconds since 1970 of an RFC 3339 text, as text. */
export function epochSTextFromTime(text) {
  return String(epochSFromTime(text));
}

/** Return the RFC 3339 text of nanoseconds since 1970 (a BigInt), with as many digits as it needs. */
export function timeOfNs(moment) {
  return timeFromEpochNs(moment).replace(/\.?0*Z$/, "Z");
}

/** Return a number's text without an exponent as its digits (a BigInt), and how many of them stand behind the point. */
export function digitsOf(text) {
  const [, sign, whole, fraction = "", power = "0"] = /^(-?)(\d+)(?:\.(\d*))?(?:e([+-]?\d+))?$/i.exec(text);
  const scale = fraction.length - Number(power);
  const digits = BigInt(`${whole}${fraction}`) * 10n ** BigInt(Math.max(0, -scale));
  return [sign ? -digits : digits, Math.max(0, scale)];
}

/**
 * Return the RFC 3339 text of a number of units since 1970, or since a second: whole, a fraction, or as text.
 *
 * A fraction says what its shortest text says, not the binary fraction nearest to it.
 */
export function timeFromUnits(moment, nanoseconds, form, begin = 0) {
  const number = typeof moment === "number" && Number.isFinite(moment);
  const text = number || typeof moment === "bigint" ? String(moment) : moment;
  if (typeof text !== "string" || !(number || /^-?[0-9]{1,30}(\.[0-9]{0,30})?$/.test(text))) {
    throw new RangeError(`${asShown(moment)} is no number of units since 1970`);
  }
  const unit = BigInt(nanoseconds);
  const since = BigInt(begin) * 1_000_000_000n;
  if (form === "split" && typeof moment === "string") {
    // The fraction is added to the whole units, whatever their sign.
    const [whole, fraction] = partedAt(text, ".");
    const [digits, scale] = digitsOf(`0.${fraction ?? ""}`);
    return timeOfNs(BigInt(whole) * unit + floorOf(digits * unit, 10n ** BigInt(scale)) + since);
  }
  const [digits, scale] = digitsOf(text);
  let exact = digits * unit;
  let by = 10n ** BigInt(scale);
  if (number && !Number.isInteger(moment) && unit > 1_000_000_000n) {
    // A fraction of hours or days holds a microsecond, but no shorter text says which.
    exact = nearestEven(exact, by * 1000n) * 1000n;
    by = 1n;
  }
  return timeOfNs(floorOf(exact, by) + since);
}

/** Return how often a whole number goes into another, rounded to the nearest, and of two to the even one. */
export function nearestEven(number, by) {
  const down = floorOf(number, by);
  const rest = (number - down * by) * 2n;
  return rest > by || (rest === by && down % 2n !== 0n) ? down + 1n : down;
}

/** Return the decimal text of a fraction, of 28 digits at most. */
export function decimalText(number, by) {
  const sign = number < 0n ? "-" : "";
  const size = number < 0n ? -number : number;
  let scale = 0;
  while (scale < 28 && (size * 10n ** BigInt(scale)) % by !== 0n) scale += 1;
  if (scale === 28) {
    let zeros = 0; // behind the point, before the first digit
    while (size * 10n ** BigInt(zeros + 1) < by) zeros += 1;
    scale = size < by ? 28 + zeros : Math.max(0, 28 - String(size / by).length);
  }
  const digits = String(nearestEven(size * 10n ** BigInt(scale), by)).padStart(scale + 1, "0");
  return `${sign}${digits.slice(0, digits.length - scale)}${scale ? `.${digits.slice(-scale)}` : ""}`;
}

/** Return the units since 1970, or since a second, of an RFC 3339 text: `whole`, `text`, `float`, or `decimal`. */
export function unitsFromTime(text, nanoseconds, form, begin = 0) {
  const unit = BigInt(nanoseconds);
  const moment = epochNsFromTime(text) - BigInt(begin) * 1_000_000_000n;
  const whole = floorOf(moment, unit);
  if (form === "whole") return Number(whole);
  if (form === "text") return String(whole);
  if (form === "split") return `${whole}${decimalText(moment - whole * unit, unit).slice(1)}`;
  const exact = decimalText(moment, unit);
  return form === "float" ? Number(exact) : exact;
}

/** Return a moment so many units after another; throw for what is no number of units. */
export function timeAfter(span, begin, nanoseconds) {
  if (!Number.isInteger(span)) throw new RangeError(`${asShown(span)} is no number of units`);
  return timeOfNs(epochNsFromTime(begin) + BigInt(span) * BigInt(nanoseconds));
}

/** Return the units between two moments; 0 where one of them isn't told. */
export function spanAfter(text, begin, nanoseconds) {
  return text && begin ? Number(floorOf(epochNsFromTime(text) - epochNsFromTime(begin), BigInt(nanoseconds))) : 0;
}

/** The months, by their names. */
export const MONTHS = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"];

/** The days of the week, by their names, as JavaScript counts them. */
export const WEEKDAYS = ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"];

/** What the words of a pattern of time stand for; digits are counted, a fraction has as many as it likes. */
export const TIME_WORDS = {
  YYYY: "(?<year>[0-9]{4})",
  YY: "(?<year2>[0-9]{2})",
  GGGG: "(?<weekyear>[0-9]{4})",
  WEEK: "(?<week>[0-9]{2})",
  DAYNO: "(?<dayno>[1-7])",
  MM: "(?<month>[0-9]{2})",
  DD: "(?<day>[0-9]{2})",
  hh: "(?<hour>[0-9]{2})",
  mm: "(?<minute>[0-9]{2})",
  ss: "(?<second>[0-9]{2})",
  M1: "(?<month1>[0-9]{1,2})",
  D1: "(?<day1>[0-9]{1,2})",
  h1: "(?<hour1>[0-9]{1,2})",
  m1: "(?<minute1>[0-9]{1,2})",
  s1: "(?<second1>[0-9]{1,2})",
  DDD: "(?<yearday>[0-9]{3})",
  MONTH: `(?<monthname>${MONTHS.join("|")})`,
  MON: `(?<monthword>${MONTHS.map((one) => one.slice(0, 3)).join("|")})`,
  WEEKDAY: `(?:${WEEKDAYS.join("|")})`,
  WDAY: `(?:${WEEKDAYS.map((one) => one.slice(0, 3)).join("|")})`,
  PM: "(?<half>[AaPp]\\.?[Mm]\\.?)",
  DAYS: "(?<days>-?[0-9]{1,7})",
  OFFMIN: "(?<offmin>[+-]?[0-9]{1,4})",
  OFFSEC: "(?<offsec>[+-]?[0-9]{1,5})",
  MINUTES: "(?<minutes>[0-9]{1,4})",
  MILLIS: "(?<millis>[0-9]{1,8})",
  SECONDS: "(?<seconds>[0-9]{1,5})",
  fff: "(?<digits>[0-9]{3})",
  f: "(?<fraction>[0-9]{1,12})",
  OFFSET: "(?<offset>Z|z|[+-][0-9]{2}:?[0-9]{2})",
  ZONE: "(?<zone>[A-Za-z][A-Za-z0-9_+/-]{0,60})",
};

/** Return the pieces of a pattern of time. */
export function timePieces(pattern) {
  const pieces = /YYYY|YY|GGGG|MONTH|MON|MM|M1|DDD|DD|D1|DAYNO|DAYS|WEEKDAY|WDAY|WEEK|hh|h1|mm|m1|ss|s1|PM|SECONDS|MINUTES|MILLIS|fff|f|OFFSET|OFFMIN|OFFSEC|ZONE|\[again:[^\]]*\]|\[|\]|./gsu;
  return pattern.match(pieces) ?? [];
}

/** Return what a pattern of time stands for, as a regular expression. */
export function timePattern(pattern) {
  const made = timePieces(pattern).map((piece) => {
    if (piece.startsWith("[again:")) return `(?<again>${inPattern(piece.slice(7, -1))})?`;
    if (piece === "[" || piece === "]") return piece === "[" ? "(?:" : ")?";
    return TIME_WORDS[piece] ?? inPattern(piece);
  });
  return new RegExp(`^${made.join("")}$`, "su");
}

/** Return the RFC 3339 text, in UTC, of a time that is spelt by a pattern; throw for another. */
export function timeFromPattern(text, pattern) {
  const told = (typeof text === "string" && timePattern(pattern).exec(text)?.groups) || null;
  if (!told) throw new RangeError(`${asShown(text)} is no time of the form ${pattern}`);
  const moment = momentIn(told, text);
  const [whole, digits] = partedAt(moment, ".");
  const fraction = (told.fraction ?? told.digits ?? digits ?? "").replace(/0+$/, "");
  return `${whole}${fraction && `.${fraction}`}Z`;
}

/** Return date and time, in UTC, of the second that a time falls into whose parts are told. */
export function momentIn(told, text) {
  const number = (usual, ...names) => Number(names.map((name) => told[name]).find(Boolean) ?? usual);
  const word = told.monthname ?? told.monthword;
  const month = word ? MONTHS.findIndex((one) => one.startsWith(word.slice(0, 3))) : number(1, "month", "month1") - 1;
  let hour = number(0, "hour", "hour1");
  if (told.half) {
    if (hour < 1 || hour > 12) throw new RangeError(`${asShown(text)} has an hour that is none of 1 to 12`);
    hour = (hour % 12) + (/^p/i.test(told.half) ? 12 : 0);
  }
  let [year, ofYear, day] = [number(1970, "year"), month, number(1, "day", "day1")];
  // As POSIX has it: 69 is of the last century.
  if (told.year2) year = number(0, "year2") + (number(0, "year2") > 68 ? 1900 : 2000);
  if (told.weekyear) {
    const week = number(1, "week");
    const found = mondayOf(number(1970, "weekyear"), week);
    // A week belongs to the year of its Thursday (ISO 8601).
    if (week < 1 || mondayOf(number(1970, "weekyear") + 1, 1) <= found) throw new RangeError(`${asShown(text)} is no moment`);
    const of = new Date(found + (number(1, "dayno") - 1) * 86_400_000);
    [year, ofYear, day] = [of.getUTCFullYear(), of.getUTCMonth(), of.getUTCDate()];
  }
  const parts = [year, ofYear, day, hour, number(0, "minute", "minute1"), number(0, "second", "second1")];
  const date = new Date(0);
  date.setUTCFullYear(...parts.slice(0, 3));
  date.setUTCHours(...parts.slice(3));
  const read = [date.getUTCFullYear(), date.getUTCMonth(), date.getUTCDate(), date.getUTCHours(), date.getUTCMinutes(), date.getUTCSeconds()];
  if (parts[0] < 1 || parts.some((part, at) => part !== read[at])) throw new RangeError(`${asShown(text)} is no moment`);
  const more = (number(0, "days") + number(1, "yearday") - 1) * 86_400_000 + (number(0, "seconds") + 60 * number(0, "minutes")) * 1000;
  const local = date.getTime() + more + number(0, "millis");
  const named = told.zone && told.zone !== "UTC" && told.zone !== "Z";
  const ahead = number(0, "offmin") * 60_000 + number(0, "offsec") * 1000 || offsetOf(told.offset ?? "Z");
  const moment = local - (named ? offsetThere(local, told.zone, Boolean(told.again)) : ahead);
  return new Date(moment).toISOString().replace(/\.?0*Z$/, "");
}

/** Return the Monday of a week by ISO 8601, in milliseconds since 1970: January 4th is always of the first. */
export function mondayOf(year, week) {
  const fourth = Date.UTC(year, 0, 4);
  return fourth - ((new Date(fourth).getUTCDay() + 6) % 7) * 86_400_000 + (week - 1) * 7 * 86_400_000;
}

/** Return an offset such as +01:00 in milliseconds. */
export function offsetOf(text) {
  if (/^z$/i.test(text)) return 0;
  const minutes = Number(text.slice(1, 3)) * 60 + Number(text.slice(-2));
  return (text.startsWith("-") ? -minutes : minutes) * 60_000;
}

/** Return how far a zone's clocks are ahead of UTC at a moment, in milliseconds. */
export function offsetAt(moment, zone) {
  const format = new Intl.DateTimeFormat("en-US", { timeZone: zone, timeZoneName: "longOffset" });
  const name = format.formatToParts(moment).find((part) => part.type === "timeZoneName").value;
  const [, sign, hours, minutes, seconds = "0"] = /GMT(?:([+-])(\d\d):(\d\d)(?::(\d\d))?)?/.exec(name);
  if (!sign) return 0;
  const size = ((Number(hours) * 60 + Number(minutes)) * 60 + Number(seconds)) * 1000;
  return sign === "-" ? -size : size;
}

/** Return how far a zone's clocks are ahead of UTC when they show a time, for the first or, `again`, second time. */
export function offsetThere(local, zone, again) {
  let offsets;
  try {
    offsets = [offsetAt(local - 86_400_000, zone), offsetAt(local + 86_400_000, zone)];
  } catch {
    throw new RangeError(`there is no time zone ${asShown(zone)}`);
  }
  const right = [...new Set(offsets)].filter((offset) => offsetAt(local - offset, zone) === offset);
  // A time that the clocks skip counts as if they had not been put forward yet.
  const either = right.length ? right : offsets;
  return again ? either.at(-1) : either[0];
}

/** Return a time spelt by a pattern, in UTC; a part in brackets is left out where it is zero. */
export function patternFromTime(text, pattern) {
  const moment = epochNsFromTime(text);
  const seconds = Number(floorOf(moment, 1_000_000_000n));
  const when = new Date(seconds * 1000);
  const fraction = String(moment - BigInt(seconds) * 1_000_000_000n).padStart(9, "0");
  const [year, month, day] = [when.getUTCFullYear(), when.getUTCMonth(), when.getUTCDate()];
  const [hour, minute, second] = [when.getUTCHours(), when.getUTCMinutes(), when.getUTCSeconds()];
  const two = (number) => String(number).padStart(2, "0");
  const ofDay = (hour * 60 + minute) * 60 + second;
  const twelve = ((hour + 11) % 12) + 1;
  const thursday = new Date(Date.UTC(year, month, day) + (3 - ((when.getUTCDay() + 6) % 7)) * 86_400_000);
  const weekYear = thursday.getUTCFullYear();
  const words = {
    YY: two(year % 100), GGGG: String(weekYear).padStart(4, "0"), DAYNO: String(((when.getUTCDay() + 6) % 7) + 1),
    WEEK: two(Math.floor((thursday.getTime() - Date.UTC(weekYear, 0, 1)) / 604_800_000) + 1),
    YYYY: String(year).padStart(4, "0"), MM: two(month + 1), DD: two(day), mm: two(minute), ss: two(second),
    hh: two(pattern.includes("PM") ? twelve : hour), h1: String(pattern.includes("PM") ? twelve : hour),
    M1: String(month + 1), D1: String(day), m1: String(minute), s1: String(second),
    DDD: String((Date.UTC(year, month, day) - Date.UTC(year, 0, 1)) / 86_400_000 + 1).padStart(3, "0"),
    MONTH: MONTHS[month], MON: MONTHS[month].slice(0, 3),
    WEEKDAY: WEEKDAYS[when.getUTCDay()], WDAY: WEEKDAYS[when.getUTCDay()].slice(0, 3),
    PM: hour < 12 ? "AM" : "PM",
    MINUTES: String(hour * 60 + minute), SECONDS: String(ofDay), MILLIS: String(ofDay * 1000 + Number(fraction.slice(0, 3))),
    DAYS: String(Math.floor(seconds / 86_400)), OFFMIN: "0", OFFSEC: "0",
    fff: fraction.slice(0, 3), f: fraction.replace(/0+$/, "") || "0",
    OFFSET: pattern.includes("+0000") ? "+0000" : "Z", ZONE: "UTC",
  };
  const open = [["", true]]; // what stands in the brackets, and whether it is anything but zero
  for (const piece of timePieces(pattern)) {
    if (piece === "[") open.push(["", false]);
    else if (piece === "]") {
      const [inner, told] = open.pop();
      const [before, kept] = open.pop();
      open.push([before + (told ? inner : ""), kept || told]);
    } else if (!piece.startsWith("[again:")) {
      const [before, kept] = open.pop();
      open.push([before + (words[piece] ?? piece), kept || /[^0]/.test(words[piece] ?? "")]);
    }
  }
  return open[0][0];
}
