import { createHash } from 'node:crypto'
import { books, stores } from 'ostermere'

import { problem } from '../lib/problem.js'

const sha = (data) => createHash('sha256').update(data).digest('hex')

/** Takes in what members saw in their hives: notes as JSON, or a photograph. */
export async function record(event, ctx) {
  const { slots: { hive }, path } = event.call
  const [kind] = (event.fields['content-type'] ?? '').split(';')
  if (kind.startsWith('image/')) {
    const photo = Buffer.from(event.content, event.packed ? 'base64' : 'utf8')
    return stored(hive, { photo: sha(photo), bytes: photo.length, kind })
  }
  let seen
  try {
    seen = JSON.parse(event.content)
  } catch (error) {
    ctx.note('not JSON', { error: error.message })
    return problem(400, 'The inspection is not JSON', path)
  }
  if (!seen?.by) return problem(422, 'An inspection says by whom it was made', path)
  if ((seen.note ?? '').length > Number(process.env.LONGEST_NOTE)) return problem(413, 'That note is too long', path)
  if (seen.nothing_new) return null
  return stored(hive, seen)
}

async function stored(hive, seen) {
  const text = JSON.stringify(seen)
  const inspection = sha(`${hive}\n${text}`).slice(0, 10)
  await books.write('inspections', { hive, inspection }, seen)
  return {
    code: 201,
    fields: {
      'content-type': 'application/json',
      location: `/hives/${encodeURIComponent(hive)}/inspections/${inspection}`,
    },
    content: JSON.stringify({ inspection, seen }),
  }
}

/** For each sheet of inspections under north/DAY.csv, how the hives of that day are, as summaries/north/DAY.json. */
export async function summarise({ batch }, ctx) {
  await Promise.all(batch.map(async (entry) => {
    const sheet = decodeURIComponent(entry.item.replaceAll('+', ' '))
    const text = (await stores.fetch(entry.store, sheet)).toString().replace(/^\uFEFF/, '')
    const [head, ...lines] = text.split(/\r?\n/).filter(Boolean).map((line) => line.split(','))
    const rows = lines.map((cells) => Object.fromEntries(head.map((name, i) => [name, cells[i]])))
    const weakest = rows.reduce((one, other) => (one && +one.frames <= +other.frames ? one : other), null)
    const summary = {
      day: sheet.slice('north/'.length, -'.csv'.length),
      hives: rows.length,
      frames: rows.reduce((sum, row) => sum + Number(row.frames), 0),
      weakest: weakest?.hive ?? null,
      queenless: rows.filter((row) => row.queen === 'no').map((row) => row.hive),
      of: { tag: entry.tag, bytes: entry.bytes },
    }
    await stores.put('summaries', sheet.replace(/\.csv$/, '.json'), JSON.stringify(summary), { form: 'application/json' })
    ctx.note('summed up', { sheet, hives: rows.length })
  }))
}
