import { books, lines, stores } from "ostermere";

// What the night brings: how much nectar came in, as the scales told the day before.
export async function night(event, ctx) {
  const day = new Date(event.due - 86_400_000).toISOString().slice(0, 10);
  const flow = await books.read("nectar", { day });
  if (flow === null) {
    ctx.note("nothing was weighed", { day });
    return;
  }
  const apiaries = Object.entries(flow.grams).sort(([one], [other]) => (one < other ? -1 : 1));
  const rows = [`Nectar on ${day}`, ...apiaries.map(([apiary, grams]) => `${apiary}: ${grams} g`)];
  await stores.put("reports", `nectar/${day}.txt`, rows.join("\n") + "\n", { form: "text/plain; charset=utf-8" });
  const late = event.at - event.due;
  if (late > 600_000) ctx.note("late", { by: late });
  await lines.post("office", JSON.stringify({ report: event.name, day }), { form: "application/json" });
}
