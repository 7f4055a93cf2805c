"""What generated handlers in JavaScript do with events that come in batches."""

from __future__ import annotations

from typing import Any

from vast_ferry.hub.functions import EventTrigger

BATCH_ANSWERS = (
    'await lines.post("out", «text»)',
    'await lines.post("out", «text»); return null',
    'await lines.post("out", «text»); return { again: §.batch.filter((e) => e‹E›).map((e) => e.ticket) }',
    'await lines.post("out", «text»); const again = []; for (const e of §.batch) { if (e‹E›) again.push(e.ticket); } '
    "return again.length ? { again } : undefined",
    "throw new Error(«text»)",
    'try { throw new TypeError(«text») } catch (error) { await lines.post("out", error.message); }',
)
_BATCH = {
    "source": "ostermere@1",
    "export": "run",
    "parameters": ("event", "ctx"),
    "texts": ("§.batch.length", "§.kind", "§.batch[0].ticket.length", "§.batch.length > 1", "typeof §.nothing"),
    "holders": {"§.batch": (".length", "[0].ticket.length")},
    "changes": ("§.extra = 1", "§.batch = []", "§.batch.length = 1", "delete §.kind"),
    "answers": BATCH_ANSWERS,
    "unpacked": ("{ batch: { length: «a» } }", "{ kind: «a» }", "{ batch: «a» }", "{ nothing: «a» = 5 }"),
    "top": 'import { lines } from "ostermere";\n',
}
BATCHES: tuple[dict[str, Any], ...] = (
    {
        **_BATCH,
        "trigger": EventTrigger("message", "orders"),
        "samples": (
            {
                "channel": "orders",
                "body": "a",
                "content_type": "text/plain",
                "attributes": {"region": "n"},
                "group": "g",
            },
            {"channel": "orders", "body": {"json": {"n": 1}}, "content_type": "application/json", "attempt": 2},
            {"channel": "orders", "body": {"base64": "AP8="}, "content_type": "application/octet-stream"},
        ),
        "entry": (
            ".text",
            ".packed",
            ".form",
            ".notes.region",
            ".notes?.nope",
            ".group",
            ".tries",
            ".line",
            ".nothing",
            ".at > 0",
            ".notes",
        ),
        "entry_changes": ('e.notes.region = "set"', 'e.text = "t"', "e.extra = 1", "delete e.notes.region"),
    },
    {
        **_BATCH,
        "trigger": EventTrigger("record", "hives"),
        "samples": (
            {"change": "inserted", "table": "hives", "keys": {"hive": "h-1"}, "new": {"kg": 3}, "sequence": "1"},
            {"change": "updated", "table": "hives", "keys": {"hive": "h-2"}, "old": {"kg": 3}, "new": {"kg": 4}},
            {"change": "deleted", "table": "hives", "keys": {"hive": "h-3"}, "old": {"kg": 4}},
        ),
        "entry": (".key.hive", ".was?.kg", ".now", ".now?.kg", ".change", ".seq", ".book", ".was", ".nothing", ".key"),
        "entry_changes": ("e.key.hive += 1", "e.now = { kg: 9 }", "if (e.now) e.now.kg = 0", "delete e.was"),
    },
)
#: Statements on a batch; ‹b› is that, ‹E› what is asked of one event, ‹F› what changes the event `e`.
BATCH_STATEMENTS = (
    "for (const e of ‹b›) out.push(e‹E›);",
    "for (const e of ‹b›) { out.push(e‹E›); if (e‹E›) continue; out.push(e‹E›); }",
    "for (const e of ‹b›) { if (!e‹E›) break; out.push(e‹E›); }",
    "for (const e of ‹b›) { ‹F›; out.push(e‹E›); }",
    "for (const { ticket, ...rest } of ‹b›) out.push(ticket.length, Object.keys(rest).length);",
    "for (const { ticket: «x» } of ‹b›) { out.push(«x».length); }",
    "out.push(…‹b›.map((e) => e‹E›));",
    "‹b›.forEach((e, at) => { out.push(e‹E›, at); });",
    "‹b›.forEach((e, at, all) => { out.push(e‹E›, at, all.length); });",
    "const «x» = (e) => e‹E›; out.push(…‹b›.map(«x»));",
    "function «x»(e, at) { ‹F›; return [at, e‹E›]; } out.push(…‹b›.map(«x»).flat(), ‹b›[0]‹E›);",
    "const «x» = async (e) => { await null; return [e‹E›, e‹E›]; }; "
    "out.push(…(await Promise.all(‹b›.map(«x»))).flat());",
    "out.push(…(await Promise.allSettled(‹b›.map(async (e) => { if (e‹E›) throw new Error('x'); return e‹E›; }))).map("
    "(r) => r.status));",
    "const «x» = ‹b›, «x»r = await Promise.allSettled(«x».map(async (e) => e‹E›.nope.nope)); "
    "out.push(…«x»r.flatMap((r, at) => (r.reason ? [«x»[at]‹E›] : [])));",
    "const «x» = ‹b›; out.push(«x»[0]‹E›, «x».length, «x»[9]?.ticket);",
    "out.push(attempt(() => ‹b›[9]‹E›));",
    "const [«x»] = ‹b›; out.push(«x»‹E›);",
    "const [«x», ...«x»r] = ‹b›; out.push(«x»‹E›, «x»r.length);",
    "const [, «x»] = ‹b›; out.push(«x»?.ticket?.length);",
    "const { batch: «x» } = §; for (const e of «x») { out.push(e‹E›); } out.push(«x».length);",
    "const { batch: [«x»] } = §; out.push(«x»‹E›);",
    "const { batch: «x», kind: «y» } = §; out.push(…«x».map((e) => e‹E›), «y»); «x».forEach((e) => { ‹F›; });"
    " out.push(«x»[0]‹E›);",
    "out.push(…‹b›.filter((e) => e‹E›).map((e) => e‹E›));",
    "const «x» = ‹b›.filter((e) => e‹E›); for (const e of «x») { out.push(e‹E›); } out.push(«x».length);",
    "out.push(‹b›.reduce((sum, e) => sum + String(e‹E›), ''));",
    "out.push(attempt(() => String(‹b›.reduce((sum, e) => sum + String(e‹E›))).length));",
    "out.push(…[...‹b›].reverse().map((e) => e‹E›));",
    "out.push(…[...‹b›].sort((a, b) => (String(a‹E›) < String(b‹E›) ? 1 : -1)).map((e) => e‹E›));",
    "‹b›.sort((a, b) => (String(a‹E›) < String(b‹E›) ? 1 : -1)); out.push(‹b›[0]‹E›);",
    "for (const [at, e] of ‹b›.entries()) out.push(at, e‹E›);",
    "for (let at = 0; at < ‹b›.length; at++) out.push(‹b›[at]‹E›);",
    "for (let at = 0; at < ‹b›.length; at++) { const e = ‹b›[at]; ‹F›; out.push(e‹E›); }",
    "out.push(‹b›.find((e) => e‹E›)?.ticket?.length, ‹b›.findIndex((e) => !e‹E›));",
    "out.push(‹b›.some((e) => e‹E›), ‹b›.every((e) => e‹E›));",
    "const «x» = (list) => list.map((e) => e‹E›); out.push(…«x»(‹b›));",
    "const «x» = (list) => { const [first] = list; return [first‹E›, list.length]; }; out.push(…«x»(‹b›));",
    "const «x» = ({ batch }) => { const all = []; for (const e of batch) all.push(e‹E›); return all; }; "
    "out.push(…«x»(§));",
    "const «x» = (given) => given.batch.map((e) => { ‹F›; return e‹E›; }); out.push(…«x»(§), …‹b›.map((e) => e‹E›));",
    "last = ‹b›; out.push(last[0]‹E›);",
    "const «x» = ‹b›.map((e) => ({ e, n: 1 })); out.push(«x»[0].e‹E›);",
    "const «x» = new Map(‹b›.map((e) => [e‹E›, e])); out.push(«x».size);",
    "out.push(JSON.stringify(‹b›).length > 2);",
    "try { for (const e of ‹b›) { out.push(e‹E›); if (out.length > 2) throw new Error('late'); } } "
    "catch (error) { out.push(error.message); }",
    "if (flag) { for (const e of ‹b›) { out.push(e‹E›); } } else { out.push(‹b›.length); }",
    "«x»: for (const e of ‹b›) { for (const k of [1, 2]) { if (k > 1) continue «x»; out.push(e‹E›, k); } }",
    "let «x» = 0; for (const e of ‹b›) { «x» += String(e‹E›).length; } out.push(«x»);",
    "const «x» = ‹b›.at(-1); out.push(«x»‹E›);",
    "out.push(‹b›.indexOf(‹b›[0]), ‹b›.includes(‹b›[0]), ‹b› === ‹b›);",
    "for (const at in ‹b›) out.push(at, ‹b›[at]‹E›);",
    "while (‹b›.length > 1) ‹b›.pop(); out.push(‹b›.length);",
    "const «x» = ‹b›.slice(0, 2).map((e) => e‹E›); out.push(…«x»);",
    "class «x»c { constructor(list) { this.list = list; } all() { return this.list.map((e) => e‹E›); } } "
    "out.push(…new «x»c(‹b›).all());",
    "const «x» = function* () { for (const e of ‹b›) yield e‹E›; }; out.push(…«x»());",
    "const «x» = async function* (list) { for (const e of list) { await null; yield e‹E›; } }; "
    "for await (const one of «x»(‹b›)) out.push(one);",
    "for await (const e of ‹b›) out.push(e‹E›);",
    "out.push(‹b›.length > 1 ? 'many' : ‹b›[0]‹E›);",
    "let «x» = [...‹b›]; «x» = «x».filter((e) => e‹E›); out.push(«x».length);",
    "const «x» = (e) => { const f = e; return [f‹E›, f‹E›]; }; for (const e of ‹b›) out.push(…«x»(e));",
    "const «x» = (e, list) => list.length + String(e‹E›); out.push(…‹b›.map((e) => «x»(e, ‹b›)));",
    "for (const e of ‹b›) setTimeout(() => out.push(e‹E›), 0); await new Promise((done) => setTimeout(done, 5));",
    "const «x» = []; for (const e of ‹b›) «x».push(e); out.push(«x»[0]‹E›);",
    "const «x» = []; for (const e of ‹b›) «x».push(() => e‹E›); out.push(…«x».map((one) => one()));",
    "out.push(‹v›);",
    "const ‹u› = §; out.push(shown(«x»).length > 0);",
    "‹c›; out.push(‹b›.length);",
)
