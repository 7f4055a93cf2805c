export const run = async ({ note, hive, visit, kept, log }) => {
  if (!note || typeof note.text !== "string") return { mark: 422, load: "no text" };
  log.line("noted", { hive });
  await kept.set({ text: note.text, by: note.by ?? null });
  return { mark: 201, lines: [["location", `/hives/${hive}/notes`]], load: JSON.stringify(note) };
};
