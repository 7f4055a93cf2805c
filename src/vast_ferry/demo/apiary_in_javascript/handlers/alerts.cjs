'use strict';

const { WARDENS } = process.env;

// A swarm was seen: the wardens are called, over HTTP.
exports.swarm = async function (event, ctx) {
  for (const entry of event.batch) {
    const seen = JSON.parse(entry.text);
    const answer = await fetch(WARDENS, {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: 'Key ' + ctx.sealed('WARDENS_KEY') },
      body: JSON.stringify({ where: seen.where, high: (seen.metres || 0) > 3 }),
      signal: AbortSignal.timeout(ctx.leftMs()),
    });
    if (!answer.ok) throw new Error(`the wardens answered ${answer.status}`);
    const { warden } = await answer.json();
    ctx.note('called', { warden, tries: entry.tries });
  }
};
