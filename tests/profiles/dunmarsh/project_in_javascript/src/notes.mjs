export async function take(marsh) {
  const ask = marsh.input;
  let note;
  try {
    note = JSON.parse(ask.text);
  } catch {
    return marsh.status(400).say("not JSON");
  }
  if ((note.text ?? "").length > Number(marsh.setting("LONGEST"))) return marsh.status(413).say("too long");
  const by = ask.caller ?? note.by ?? "nobody";
  marsh.croak(`noted by ${by} as ${ask.head("User-Agent")}`);
  marsh.status(201);
  marsh.head("location", `${ask.path}/${by}`);
  await marsh.channel("notes").float(JSON.stringify({ by, hive: ask.names.hive }));
  marsh.say(JSON.stringify({ hive: ask.names.hive }));
}
