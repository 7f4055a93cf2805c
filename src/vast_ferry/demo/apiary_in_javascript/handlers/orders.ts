import { books, lines } from 'ostermere'

interface Order {
  order: string
  member: string
  kind: string
  grams: number
}

type Entry = { ticket: string; text: string; packed: boolean; form: string; notes: Record<string, string>; group: string | null; tries: number }

// A batch of messages, each an order; what can't be filled yet comes again.
export async function take({ batch }: { batch: Entry[] }, ctx: { note(text: string, more?: object): void }) {
  const again: string[] = []
  for (const entry of batch) {
    const order = JSON.parse(entry.packed ? Buffer.from(entry.text, 'base64').toString() : entry.text) as Order
    if (order.grams < Number(process.env.SMALLEST_JAR)) {
      ctx.note('too small, dropped', { order: order.order })
      continue
    }
    const stock = (await books.read('honey', { kind: order.kind })) as { grams: number } | null
    if (!stock || stock.grams < order.grams) {
      ctx.note('not enough honey', { order: order.order, tries: entry.tries })
      again.push(entry.ticket)
      continue
    }
    await books.write('honey', { kind: order.kind }, { ...stock, grams: stock.grams - order.grams })
    await books.write('orders', { order: order.order }, { member: order.member, grams: order.grams })
    await lines.post('packing', JSON.stringify(order), { notes: entry.notes, group: entry.group, form: entry.form })
  }
  return again.length ? { again } : undefined
}
