import { queue, rows } from "cinderwick";

export async function fill(spark, hearth) {
  const again = [];
  for (const [number, crate] of spark.crates.entries()) {
    const order = JSON.parse(Buffer.from(crate.stuff).toString("utf8"));
    const stock = await rows("honey").take({ kind: order.kind });
    if (!stock || stock.grams < order.grams) {
      hearth.say("short", { order: order.order, times: crate.again });
      again.push(number);
      continue;
    }
    const tags = Object.fromEntries(Object.entries(crate.tags).map(([name, values]) => [name, values[0]]));
    await queue("packing").add(JSON.stringify(order), { tags, lot: crate.lot });
  }
  return again;
}
