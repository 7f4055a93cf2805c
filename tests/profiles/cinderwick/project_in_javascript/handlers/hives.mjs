import { Snuffed, queue, rows } from "cinderwick";

const textOf = ({ content }) => content.chars ?? Buffer.from(content.bytes, "base64").toString("utf8");

export async function notes(spark, hearth) {
  const { hive } = Object.fromEntries(spark.path);
  let note;
  try {
    note = JSON.parse(textOf(spark));
  } catch {
    throw new Snuffed("400 Bad Request", "not JSON");
  }
  if ((note.text ?? "").length > Number(process.env.LONGEST)) return ["413 Too Long", {}, "too long"];
  const by = spark.badge?.subject ?? note.by;
  await rows("notes").lay({ hive, by }, note);
  hearth.say("noted", { hive });
  const [, target] = spark.ask.split(" ");
  return ["201 Created", { location: `${target}/${by}`, "content-type": "application/json" }, JSON.stringify({ hive })];
}

export async function moved(spark) {
  const [was, now] = spark.diff.apiary ?? [null, null];
  if (was !== now) await queue("moves").add(`${spark.row.split("=")[1]}: ${was} -> ${now}`, { tags: { deed: spark.deed } });
}
