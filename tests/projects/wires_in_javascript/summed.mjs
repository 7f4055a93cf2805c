export async function run({ sheet, apiary, day, before, summary, log }) {
  const rows = sheet.trim().split("\n").slice(1).map((line) => line.split(","));
  const sum = rows.reduce((all, [, weight]) => all + Number(weight), 0);
  log.line(`summed ${apiary} ${day}`);
  await summary.set({ apiary, day, sum, before: before?.sum ?? null });
}
