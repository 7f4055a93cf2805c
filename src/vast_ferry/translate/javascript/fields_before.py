"""Header fields that are told before a function answers, in a function around it or one that calls it.

    reply.head("x-way", request.verb);                  const xWay = request.method;
    return handle(request, reply);                  →   return withFields(await handle(request), { "x-way": xWay });

What the answer tells itself under such a name comes behind it, or in its place, as the source's calls have it.
"""

from __future__ import annotations

from vast_ferry.mapping.javascript.functions import Source, function
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.tables import ReplyShape, Row

#: What is told under these is no field beside others: there may be several, or the content is understood by it.
ALONE = ("set-cookie", "content-type")

_OF_OBJECT = """for (const [name, value] of Object.entries(fields)) {{
  const own = answer.{headers}.get(name);
  answer.{headers}.set(name, own === null ? value : {both});
}}
return answer;"""
_OF_MAPPING = """const told = {{ ...answer.{headers} }};
for (const [name, value] of Object.entries(fields)) {{
  const key = Object.keys(told).find((one) => one.toLowerCase() === name.toLowerCase()) ?? name;
  const own = told[key];
  told[key] = own === undefined ? value : {both};
}}
return {{ ...answer, {headers}: told }};"""
_OF_PAIRS = "return {{ ...answer, {headers}: [...Object.entries(fields), ...(answer.{headers} ?? [])] }};"
_OVER_PAIRS = """const own = answer.{headers} ?? [];
const has = (name) => own.some(([one]) => one.toLowerCase() === name.toLowerCase());
return {{ ...answer, {headers}: [...Object.entries(fields).filter(([name]) => !has(name)), ...own] }};"""
#: By how an answer has its fields: what gives it more beside its own, and before those that take their place.
_TEXTS = {
    "web_headers": (_OF_OBJECT, _OF_OBJECT),
    "joined": (_OF_MAPPING, _OF_MAPPING),
    "pairs": (_OF_PAIRS, _OVER_PAIRS),
}


def with_fields(reply: ReplyShape, *, over: bool) -> Source | None:
    """Return the function that gives an answer with fields beside its own; nothing where its form is not known.

    `over` where what the answer has itself under a name stands in place of what is told before.
    """
    rows = {row.field: row for row in reply.written.rows}
    row = rows.get("headers.plain") or rows.get("headers")
    known = {"object": ("web_headers",), "mapping": ("joined", "pairs")}.get(reply.written.when, ())
    if row is None or row.lens.name not in known:
        return None
    text = _TEXTS[row.lens.name][over]
    made = text.format(headers=_name(row), both="own" if over else "`${value}, ${own}`")
    return Source("withFields", function("withFields", ["answer", "fields"], made))


def _name(row: Row) -> str:
    """Return the key, or the name, that a row stands under."""
    step = row.at.steps[0]
    return str(step.key) if isinstance(step, Item) else step.name if isinstance(step, Attr) else ""
