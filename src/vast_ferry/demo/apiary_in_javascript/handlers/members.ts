import { books, lines } from 'ostermere'

type Bell = { about: string; at: number; content: { name?: string; hives?: number } | null }

// Someone joined the cooperative.
export const hello = async (event: Bell, ctx: { note(text: string, more?: object): void }): Promise<void> => {
  const member = event.about.replace(/^members\//, '')
  if (await books.read('members', { member })) {
    ctx.note('already a member', { member })
    return
  }
  const { name, hives = 0 } = event.content ?? {}
  await books.write('members', { member }, { name: name ?? null, hives, since: event.at })
  await lines.post('letters', `Welcome, ${name ?? member}!`, { notes: { member }, form: 'text/plain; charset=utf-8' })
}
