"""What is read of a profile's rows: what stands at a row, or in a part of a text, that nothing reads would be lost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from vast_ferry.hub.fields import Field
from vast_ferry.mapping.compile.reading import Reading
from vast_ferry.mapping.tables import Row
from vast_ferry.mapping.views import Rule


def unread_rows(
    rows: Sequence[Row], fields: Mapping[str, Field], own: Sequence[Rule], rules: Sequence[Rule]
) -> Iterator[tuple[int, str, str]]:
    """Yield line, fault and remedy of what nothing is read of, for what it is a view of comes whole from another row.

    `own` are the rules of the shape's own fields, `rules` the hub's.
    """
    told = {row.field: row for row in rows if not row.derived and row.field in fields}
    views = [row for row in told.values() if not fields[row.field].truth]
    views = [row for row in views if fields[row.field].holds != "call" and not row.lens.reads_only]
    used = _used(told, fields, (*own, *rules)) if views else set()
    for row in views:
        if fields[row.field].holds == "any" and not any(row.field in rule.needs for rule in own):
            continue  # a text of which no part is anybody's: it is only written
        if row.field not in used:
            what = f"nothing is read of this row ({row.shown or row.field})"
            whole, missing = _lacking(row, told, own, rules)
            if missing:
                alone = f"{what}: {whole} follows from it only together with {missing}"
                yield row.line, alone, f"Let a row feed {missing}; what stands in this very place is reached with `let`"
                continue
            yield (
                row.line,
                f"{what}: what it tells comes whole from another row",
                "Mark it `derived: true` if it only shows that again; else let the other row feed the rest only, "
                "such as headers.plain beside cookies, or let this one feed a single field: header.content-type",
            )
            continue
        # Of a text of several fields each has to be read.
        parts = [rule.gives for rule in own if row.field in rule.needs and not rule.gives.startswith("own.")]
        lost = [name for name in dict.fromkeys(parts) if not fields[name].truth and name not in used]
        for name in lost if fields[row.field].holds == "any" else ():
            yield (
                row.line,
                f"nothing is read of {name} in this text ({row.shown}): no other field follows from it",
                "Let a row feed what it is a part of (header fields, for one), or write {_} in its place",
            )


def _lacking(row: Row, told: Mapping[str, Row], own: Sequence[Rule], rules: Sequence[Rule]) -> tuple[str, str]:
    """Return what follows from a row with another field that no row feeds, and that field; else nothing."""
    parts = [rule.gives for rule in own if row.field in rule.needs] or [row.field]
    for rule in rules:
        if rule.gives not in told and any(part in rule.needs for part in parts):
            missing = [need for need in rule.needs if need not in parts and need not in told]
            if missing and not any(one.gives == rule.gives and {*one.needs} <= {*told} for one in rules):
                return rule.gives, missing[0]
    return "", ""


def _used(told: Mapping[str, Row], fields: Mapping[str, Field], rules: tuple[Rule, ...]) -> set[str]:
    """Return the fields from which the truths are read."""
    used: set[str] = set()
    waiting = [name for name, one in fields.items() if one.truth]
    while waiting:
        name = waiting.pop()
        if name in used:
            continue
        used.add(name)
        if name in told:
            waiting += (*told[name].lens.needs, *told[name].lens.asks)
        rule = None if name in told else Reading(fields, rules, dict(told)).rule_for(name)
        waiting += rule.needs if rule is not None else ()
    return used
