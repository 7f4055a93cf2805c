import { createHash, createHmac } from 'node:crypto'
import { books, lines } from 'ostermere'

import { problem } from '../lib/problem.js'

const GRAMS = { kg: 1000, g: 1, lb: 453.59237 }

// What a hive weighs, day by day, as its scale told.
export const weight = async (event, ctx) => {
  const { slots: { hive }, search, first, path } = event.call
  const days = new URLSearchParams(search).getAll('day')
  if (days.length === 0) {
    ctx.note('no day was asked for', { hive })
    return problem(400, 'Which day? Ask with ?day=mon', path)
  }
  const unit = first.unit || process.env.UNIT
  if (!(unit in GRAMS)) return problem(422, `${unit} is no unit of weight`, path)
  const grams = days.map((day) => scale(hive, day))

  if (event.fields.accept === 'application/octet-stream') {
    const packed = Buffer.alloc(grams.length * 4)
    grams.forEach((g, i) => packed.writeUInt32BE(g, i * 4))
    return {
      code: 200,
      fields: { 'content-type': 'application/octet-stream' },
      content: packed.toString('base64'),
      packed: true,
    }
  }

  const last = event.crumbs.find((crumb) => crumb.startsWith('last='))
  const sign = createHmac('sha256', ctx.sealed('SCALE_KEY')).update(hive).digest('hex').slice(0, 12)
  return {
    code: 200,
    fields: { 'content-type': 'application/json; charset=utf-8', 'cache-control': 'private, max-age=60' },
    crumbs: [`last=${encodeURIComponent(days.at(-1))}; Path=/hives; Max-Age=604800`, `unit=${unit}; Path=/`],
    content: JSON.stringify({
      hive,
      unit,
      weights: days.map((day, i) => ({ day, weight: Number((grams[i] / GRAMS[unit]).toFixed(3)) })),
      last_seen: last?.slice(5) ?? null,
      sign,
    }),
  }
}

// A hive stands elsewhere now: the move is kept, and the wardens of both apiaries are told.
export async function moved({ batch }, ctx) {
  for (const { was, now, key: { hive }, seq, at } of batch) {
    if (was.apiary === now.apiary) continue
    const move = { from: was.apiary, to: now.apiary }
    await books.write('moves', { hive, seq }, { ...move, at })
    for (const apiary of [move.from, move.to]) {
      await lines.post('wardens', JSON.stringify({ hive, ...move }), {
        notes: { apiary },
        group: apiary,
        form: 'application/json',
      })
    }
    ctx.note('moved', { hive })
  }
}

// Grams on the scale: made up, but always the same for a hive and a day.
function scale(hive, day) {
  const digest = createHash('sha256').update(`${hive}/${day}`).digest()
  return 28_000 + (digest.readUInt16BE(0) % 20_000)
}
