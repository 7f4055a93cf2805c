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

#: By how an answer has its fields: what gives it more of them, and what stands there for a name that it has itself.
_TEXTS = {
    "web_headers": (
        """for (const [name, value] of Object.entries(fields)) {{
  const own = answer.{headers}.get(name);
  answer.{headers}.set(name, own === null ? value : {both});
}}
return answer;""",
        ("own", "`${value}, ${own}`"),
    ),
    "joined": (
        """const told = {{ ...answer.{headers} }};
for (const [name, value] of Object.entries(fields)) {{
  const key = Object.keys(told).find((one) => one.toLowerCase() === name.toLowerCase()) ?? name;
  const own = told[key];
  told[key] = own === undefined ? value : {both};
}}
return {{ ...answer, {headers}: told }};""",
        ("own", "`${value}, ${own}`"),
    ),
    "pairs": (
        """const own = answer.{headers} ?? [];
const has = (name) => own.some(([one]) => one.toLowerCase() === name.toLowerCase());
const more = Object.entries(fields).filter(([name]) => {both});
return {{ ...answer, {headers}: [...more, ...own] }};""",
        ("!has(name)", "true"),
    ),
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
    text, both = _TEXTS[row.lens.name]
    made = text.format(headers=_name(row), both=both[0 if over else 1])
    if not over:
        made = made.replace(
            "const has = (name) => own.some(([one]) => one.toLowerCase() === name.toLowerCase());\n", ""
        )
        made = made.replace(".filter(([name]) => true)", "")
    return Source("withFields", function("withFields", ["answer", "fields"], made))


def _name(row: Row) -> str:
    """Return the key, or the name, that a row stands under."""
    step = row.at.steps[0]
    return str(step.key) if isinstance(step, Item) else step.name if isinstance(step, Attr) else ""
