export async function fill(marsh) {
  for (const item of marsh.input) {
    const order = JSON.parse(item.load.join(""));
    if (order.grams > 400) {
      item.afloat({ after: item.seen ? 30 : 5 });
      continue;
    }
    await marsh.channel("packing").float(JSON.stringify(order), { tags: item.tags });
    marsh.croak(`packed ${order.order}`);
    item.sunk();
  }
}
