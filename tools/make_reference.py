"""Writes what is made from the code, so that it can't drift: docs, and values of the laws.

Run: python tools/make_reference.py [--check] [--values]
"""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from vast_ferry.definitions.schedules.styles import STYLES
from vast_ferry.definitions.tables import ALL_FORMS, FUNCTION_FIELDS, TRIGGER_FIELDS
from vast_ferry.definitions.writing import write_definition
from vast_ferry.events.native import write_events
from vast_ferry.hub.fields import EVENTS, HTTP_REPLY, OF_THE_CALL, Field
from vast_ferry.hub.functions import Access, Entry, EventTrigger, Function, Project, RouteTrigger
from vast_ferry.hub.keys import begins
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.hub.schedules import Calendar, Schedule
from vast_ferry.hub.standards import CHANGES, words_of
from vast_ferry.mapping.law_values import KEPT, kept_text
from vast_ferry.mapping.lenses.every import LENSES
from vast_ferry.mapping.tables import TESTS, Kind
from vast_ferry.profiles import schema, schema_definition, schema_texts
from vast_ferry.profiles.json_schema import profile_schema
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.translate.reasons import NOTES as RULES
from vast_ferry.translate.reasons import STOPS

DOCS = Path(__file__).parent.parent / "docs"

#: One event of each kind, from the demo's world, as the hub has it.
SHOWN: dict[str, dict[str, Any]] = {
    "http": {
        "id": "w-81",
        "time": "2026-11-25T01:50:00.123Z",
        "method": "POST",
        "scheme": "https",
        "authority": "api.lindenfold.example",
        "path.raw": "/hives/h%2F7/inspections",
        "query.raw": "day=mon&day=tue",
        "route": "/hives/{hive}/inspections",
        "captures": {"hive": "h/7"},
        "headers": [("content-type", "application/json"), ("cookie", "sid=1")],
        "body": b'{"by": "m-12"}',
        "client": "198.51.100.7",
        "principal": {"id": "m-12", "claims": {"group": "north"}},
    },
    "object": {
        "id": "s-1",
        "time": "2026-11-25T01:50:00.123Z",
        "change": "created",
        "bucket": "inspections",
        "key": "north/2026-11-20 first.csv",
        "size": 412,
        "content_type": "text/csv",
        "etag": "9f2c",
        "version": "4",
        "labels": {"by": "m-12"},
        "extensions": {},
    },
    "message": {
        "id": "l-1",
        "time": "2026-11-25T01:50:00.123Z",
        "channel": "honey-orders",
        "body": b'{"jars":6}',
        "content_type": "application/json",
        "attributes": {"region": "north"},
        "group": "m-12",
        "attempt": 1,
        "extensions": {},
    },
    "record": {
        "id": "b-1",
        "time": "2026-11-25T01:50:00.123Z",
        "change": "updated",
        "table": "hives",
        "keys": {"hive": "h-7"},
        "old": {"hive": "h-7", "at": "orchard"},
        "new": {"hive": "h-7", "at": "heath"},
        "sequence": "000118",
        "extensions": {},
    },
    "schedule": {
        "id": "c-1",
        "time": "2026-11-25T02:00:00.300Z",
        "due": "2026-11-25T02:00:00.000Z",
        "name": "nectar-report",
        "extensions": {},
    },
    "signal": {
        "id": "n-1",
        "time": "2026-11-25T01:50:00.123Z",
        "name": "member.joined",
        "subject": "members/m-12",
        "data": {"name": "Ada", "hives": 2},
        "extensions": {},
    },
    "call": {"id": "a-1", "time": "2026-11-25T01:50:00.123Z", "data": {"month": "2026-10"}, "extensions": {}},
}


def _on_one_line(found: re.Match[str]) -> str:
    return found[0][0] + re.sub(r"\n\s+", " ", found[1]) + found[0][-1]


def providers() -> str:
    """Return every shipped provider: how handlers are called, what they call and answer, and an event of each kind."""
    lines = [
        "# The providers that ship",
        "",
        "*Made by `python tools/make_reference.py` from the profiles; the tests fail when it is stale.*",
        "",
        "The hosting providers are made up; WSGI, ASGI, CGI and CloudEvents are real. `vast-ferry profile show NAME",
        "--to OTHER` says what of one the other can't hold. Events are shown as they stand on file (samples, `event",
        'convert`): items and attributes are keys, a method is under `name()`, bytes are text or `{"base64": …}`.',
    ]
    for profile in all_profiles():
        model = profile.model
        lines += ["", f"## {profile.title} (`{profile.name}`)", "", model.about, ""]
        lines += [model.text.strip(), ""] if model.text else []
        lines += [f"- {point}" for point in points(profile)]
        for kind, tables in profile.kinds.items():
            event = write_events(kind, [SHOWN[kind]], profile)[0]
            text = json.dumps(event, indent=1, ensure_ascii=False)
            for opening, closing in ("[]", "{}"):  # what holds no more of its kind goes on one line
                inner = rf"\{opening}\n\s+([^\[\]{{}}]*?)\n\s+\{closing}"
                text = re.sub(inner, _on_one_line, text)
            called = f"{'await ' * tables.asynchronous}handler({', '.join(tables.event.handed_over)})"
            lines += ["", f"{kind}, `{called}`:", "", "```json", text, "```"]
            lines += ["", *(f"- answers {answer}" for answer in answers(tables))] if tables.reply else []
        lines += declared(profile)
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


#: Three functions, declared at every provider as nearly as it can.
DECLARED = Project(
    "apiary",
    "north-1",
    (
        Function(
            "hive_weight",
            Entry("handlers/hives.py", "weight"),
            (RouteTrigger("/hives/{hive}/weight", ("GET",), "public"),),
            "3.11",
            256,
            30,
            {"UNIT": "kg"},
            {"SCALE_KEY": "scale-key"},
            access=(Access("record", "write", "moves"),),
        ),
        Function(
            "inspection_summary",
            Entry("handlers/inspections.py", "summarise"),
            (EventTrigger("object", "inspections", ("created",), begins("north/")),),
            attempts=3,
        ),
        Function(
            "nectar_report",
            Entry("handlers/reports.py", "night"),
            (EventTrigger("schedule", schedule=Schedule.of(Calendar(minutes=(0,), hours=(2,)))),),
        ),
    ),
)


def declared(profile: Profile) -> Iterator[str]:
    """Yield how functions are declared at a provider, and what it allows, promises and costs."""
    model = profile.model
    for path, text in write_definition(DECLARED, profile).items():
        syntax = {"yml": "yaml", "py": "python"}.get(path.rpartition(".")[2], path.rpartition(".")[2])
        yield from ("", f"declared, `{path}`:", "", f"```{syntax}", text.rstrip(), "```")
    limits = model.limits
    if limits.memory:
        sizes = ", ".join(map(str, limits.memory.sizes)) or f"{limits.memory.least} to {limits.memory.most}"
        told = [
            f"{sizes} MiB ({limits.default_memory} by default)",
            f"{limits.concurrency} calls at a time an instance",
        ]
        told.append(f"{limits.longest:g} s for a request, {limits.longest_event or limits.longest:g} s for an event")
        told += [f"Python {', '.join(limits.languages)}", f"events of {limits.largest_event:,} bytes"]
        told.append(f"requests of {limits.largest_request:,} and replies of {limits.largest_reply:,} bytes")
        yield from ("", f"limits: {'; '.join(told)}")
    if model.delivery:
        rows = [
            (
                kind,
                {"none": "none", "group": "within a group", "all": "all"}[one.order],
                one.times.replace("_", " "),
                f"{one.attempts or 'until done'}, at most {one.most_attempts or 'any'}",
                one.backoff,
                "yes" if one.dead_letter else "no",
            )
            for kind, one in model.delivery.items()
        ]
        yield from ("", table(("delivery", "order", "comes", "attempts", "wait", "dead letters"), rows))
    if model.price:
        price, free = model.price, model.price.free
        yield ""
        yield (
            f"price in {price.coin}: {price.per_million_calls:g} a million calls, {price.per_gb_second:g} a GB-second "
            f"(in steps of {price.step_ms} ms), {price.per_gb_out:g} a GB out, {price.per_month:g} a month; free: "
            f"{free.calls:,} calls, {free.gb_seconds:,.0f} GB-seconds, {free.gb_out:g} GB out"
        )


def points(profile: Profile) -> Iterator[str]:
    """Yield what there is to say of a provider beside its events."""
    model = profile.model
    if profile.kinds:
        rows = next(iter(profile.kinds.values())).event.rows
        called = [f"`{row.at}`" for row in rows if row.field in OF_THE_CALL]
        if called:
            yield f"of the call: {', '.join(called)}"
    for module, classes in model.modules.items():
        yield from (f"class `{module}.{name}({', '.join(made.takes)})`" for name, made in classes.items())
    for module, paths in model.decorators.items():
        yield f"decorators: {', '.join(f'`@{path}`' for path in paths)} of `{module}`"
    for client in profile.clients:
        absent = f"; where there is none: {client.absent}" if client.result else ""
        awaited = "await " * client.awaited
        yield f"`{awaited}{client.called}({', '.join(client.takes)})` {OPERATIONS[client.operation].meaning}{absent}"
    if model.definition:
        yield f"declared in `{model.definition.file}`"
    if not model.limits.memory:
        yield f"longest run: {model.limits.longest:g} s"


def answers(kind: Kind) -> Iterator[str]:
    """Yield the forms of an answer."""
    for form in kind.answered.forms:
        places = ", ".join(f"`{row.at}`" for row in form.rows)
        told = {"nothing": "None", "always": "whatever is returned"}.get(form.when, form.short_name or form.when)
        means = ", ".join(f"{name} {value!r}" for name, value in form.fixed.items())
        yield f"{told}" + (f": {places}" if places else "") + (f" ({means})" if means else "")


HEAD = (Path(__file__).parent / "profiles.md").read_text(encoding="utf-8")


def table(header: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> str:
    """Return a Markdown table."""
    lines = [header, tuple("---" for _ in header), *rows]
    return "\n".join("| " + " | ".join(cell.replace("|", "\\|") for cell in line) + " |" for line in lines)


def keys(model: type[schema_texts.Model]) -> str:
    """Return the keys that a part of a profile takes."""
    rows = [
        (f"`{field.alias or name}`", "yes" if field.is_required() else "", field.description or "")
        for name, field in model.model_fields.items()
    ]
    return table(("key", "must be there", "meaning"), rows)


def fields(known: dict[str, Field]) -> str:
    """Return hub fields with what they hold."""
    return table(
        ("field", "holds", "", "meaning"),
        [(f"`{f.name}`", f.holds, "truth" if f.truth else "view", f.meaning) for f in known.values()],
    )


def operations() -> list[tuple[str, str, str, str]]:
    """Return a row for each operation on services."""
    return [
        (
            f"`{one.name}`",
            one.meaning,
            ", ".join(f"`{field.name}` ({field.meaning})" for field in one.takes.values()),
            f"`{one.gives.name}` ({one.gives.meaning})" if one.gives else "",
        )
        for one in OPERATIONS.values()
    ]


def first_line(thing: type) -> str:
    """Return the first line of a docstring."""
    return (thing.__doc__ or "").strip().splitlines()[0]


def _listed(words: Sequence[str]) -> str:
    return ", ".join(f"`{word}`" for word in words)


def in_full(thing: type) -> str:
    """Return a docstring in one line."""
    return " ".join((thing.__doc__ or "").split())


def instances() -> dict[str, str]:
    """Return an instance of each lens from the tests' table of forms: what stands there, and what it means."""
    sys.path.insert(0, str(DOCS.parent / "tests"))
    from test_forms import FORMS

    found: dict[str, str] = {}
    for _, _, says, stands, means in FORMS:
        form = str(says.get("as", ""))
        name = form.partition("(")[0].partition(" ")[0]
        if not stands or "at" in says or "{" in str(says.get("is")) or name in found:
            continue
        words = f", words {json.dumps(says['words'])}" if "words" in says else ""
        meant = repr(means) if isinstance(means, bytes) else json.dumps(means, ensure_ascii=False, default=str)
        told = f"`{form}`{words}: `{json.dumps(stands[0], ensure_ascii=False)}` is `{meant}`"
        if len(told) <= 150:
            found[name] = told
    return found


#: Parts of a profile whose tables stand at the end.
OTHER_PARTS = (
    schema.ClientModel,
    schema.ConverterModel,
    schema.KindModel,
    schema.HttpModel,
    schema.ByHandModel,
    schema.CallbackModel,
    schema.WriterModel,
    schema.WriterMethodModel,
    schema.ToldModel,
    schema.ClassModel,
    schema.MakerModel,
    schema.MountModel,
    schema.EnvironmentModel,
    schema_definition.DefinitionModel,
    schema_definition.DefinitionRow,
    schema_definition.ReferencesModel,
    schema_definition.StagesModel,
    schema.FileModel,
    schema.MemoryModel,
    schema.FreeModel,
)


def reference() -> str:
    """Return docs/profiles.md."""
    shown = instances()
    lenses = [
        (f"`{name}`", lens.takes, " or ".join(lens.holds) or "anything", in_full(lens), shown.get(name, ""))
        for name, lens in LENSES.items()
    ]
    forms = [(f"`{name}`", form.wants, first_line(form)) for name, form in ALL_FORMS.items()]
    tests = [(f"`{name}`", f"`{test.format('reply', 'Class')}`") for name, test in TESTS.items()]
    parts = [
        HEAD,
        "### What a row may say\n",
        keys(schema.RowModel),
        *(f"\n## Hub fields of {kind} events\n\n{fields(dict(known))}\n" for kind, known in EVENTS.items()),
        "\n## Hub fields of an HTTP reply\n",
        fields(dict(HTTP_REPLY)),
        "\nA reply has one or more `forms`, told apart in order by `when`; exactly one is `written: true`.\n",
        table(("when", "told by"), tests),
        "\nOther parts of a reply:\n",
        keys(schema.ReplyModel),
        "\n## Lenses\n\nSeveral stand in a row with `|` between, from the place to the field.\n",
        table(("lens", "takes", "for", "form", "for instance"), lenses),
        "\n## The whole file\n",
        keys(schema.ProfileModel),
        "\n### `handler`\n",
        keys(schema.HandlerModel),
        "\n### `event` of a kind\n",
        keys(schema.EventModel),
        "\nA level on the way to the events of a batch (`each`):\n",
        keys(schema.LevelModel),
        "\nA constant (`constants`, `envelope`):\n",
        keys(schema.ConstantModel),
        "\n### A form of a reply\n",
        keys(schema.FormModel),
        "\n## Definitions\n",
        "Rows of `definition.functions` tie keys of a function in the definition file to fields of the hub's function:",
        f"{', '.join(f'`{name}`' for name in FUNCTION_FIELDS)}; those of a trigger to these, by kind. A row without",
        "`is` is known, and not carried.\n",
        table(("trigger", "fields"), [(kind, ", ".join(names)) for kind, names in TRIGGER_FIELDS.items()]),
        "\nOf a trigger, `callers` is one of "
        + _listed(words_of("callers"))
        + "; `changes` are "
        + "; ".join(f"of {kind} triggers {_listed(words_of('changes', kind))}" for kind in CHANGES)
        + ".\n",
        "\nFunctions stand in the file itself, each in a file of its own, or in the code:\n",
        keys(schema_definition.FunctionsModel),
        "\nA kind of trigger (`triggers`):\n",
        keys(schema_definition.TriggerModel),
        "\nTriggers at the top, each naming its function (`elsewhere`):\n",
        keys(schema_definition.ElsewhereModel),
        "\nFunctions that decorators declare (`code`):\n",
        keys(schema_definition.CodeModel),
        "\nFunctions that calls declare (`calls`):\n",
        keys(schema_definition.CallsModel),
        "\nFunctions that comments declare (`comments`):\n",
        keys(schema_definition.CommentsModel),
        "\nFunctions that are told by where their files lie (`by_path`):\n",
        keys(schema_definition.ByPathModel),
        "\nWhat one kind of line says (`lines`):\n",
        keys(schema_definition.LineModel),
        "\n### Forms\n",
        table(("form", "takes", "meaning"), forms),
        "\n### Spellings of a schedule\n",
        table(("spelling", "example"), [(f"`{name}`", f"`{style.example}`") for name, style in STYLES.items()]),
        "\n## Routes\n",
        keys(schema.RouteModel),
        "\n## Limits, delivery, price\n",
        keys(schema.LimitsModel),
        "\nOf each kind of event but HTTP, under `delivery`:\n",
        keys(schema.DeliveryModel),
        "\nUnder `price`:\n",
        keys(schema.PriceModel),
        "\n## Operations of services\n",
        "What a call under `clients` may do (`does`), and the fields that its rows tie to what it takes and gives:\n",
        table(("operation", "does", "takes", "gives"), operations()),
        *(f"\n### {first_line(model)}\n\n{keys(model)}" for model in OTHER_PARTS),
    ]
    return "\n".join(parts) + "\n"


def rewriting() -> str:
    """Return docs/rewriting.md."""
    stops = [(f"`wrapped-{code}`", reason.replace("{}", "…"), remedy) for code, (reason, remedy) in STOPS.items()]
    notes = [
        (f"`{code}`", reason.format(source="the source", target="the target", what="A value"), remedy)
        for code, (_, reason, remedy) in RULES.items()
    ]
    text = (Path(__file__).parent / "rewriting.md").read_text(encoding="utf-8")
    parts = [
        text,
        "## Why a handler is wrapped",
        table(("code", "why", "what to do"), stops),
        "## What a rewritten handler takes for granted",
        table(("code", "what", "what to do"), notes),
    ]
    return "\n\n".join(part.strip() for part in parts) + "\n"


def main() -> int:
    """Write the files, or with --check say whether one is stale."""
    made = {
        DOCS / "profiles.md": reference(),
        DOCS / "providers.md": providers(),
        DOCS / "rewriting.md": rewriting(),
        DOCS / "profile.schema.json": json.dumps(profile_schema(), indent=1) + "\n",
    }
    if "--values" in sys.argv:  # by themselves: how many are made of a form varies with how long it takes
        KEPT.write_text(kept_text(), encoding="utf-8")
    stale = [path for path, text in made.items() if not path.is_file() or path.read_text(encoding="utf-8") != text]
    if "--check" in sys.argv:
        print("\n".join(f"{path} is stale" for path in stale))
        return 1 if stale else 0
    for path, text in made.items():
        path.write_text(text, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
