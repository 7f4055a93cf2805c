"""Definition files both ways: one table of cases drives reading, writing, and the refusals with file and line."""

from __future__ import annotations

import json
import keyword
import re
import tempfile
import textwrap
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
import yaml
from conftest import ROOT, WHOLE, Project, declaring, put, some
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry import BadInput, carry
from vast_ferry.definitions.by_path import known_by
from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.fitting import fit_trigger
from vast_ferry.definitions.forms import FormError, Wider
from vast_ferry.definitions.laid_over import NoSuchName, filled, merged
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.schedules.styles import STYLES
from vast_ferry.definitions.tables import FormSyntax, checked_definition, parse_form, route_style
from vast_ferry.definitions.writing import fit_function, write_definition
from vast_ferry.documents.toml_file import read_toml
from vast_ferry.documents.yaml_file import parse_yaml
from vast_ferry.evidence.beginning_definition import begin_definition
from vast_ferry.hub.findings import Place, Severity
from vast_ferry.hub.functions import Access, Entry, EventTrigger, Function, RouteTrigger, Stage
from vast_ferry.hub.functions import Project as Declared
from vast_ferry.hub.keys import ANY, EVERY_KEY, AnyOf, Pattern, Piece, all_of, begins, differing_key, ends
from vast_ferry.hub.schedules import FROM, Calendar, Every, Schedule, first_difference
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles, find_profile
from vast_ferry.profiles.schema_definition import DefinitionRow

OSTERMERE, THORNWICK = find_profile("ostermere@1"), find_profile("thornwick@1")
DECLARING = [profile for profile in all_profiles() if profile.model.definition]

#: route as an RFC 6570 template, at Ostermere, at Thornwick
ROUTES = [
    ("/hives/{hive}/weight", "/hives/{hive}/weight", "/hives/<hive>/weight"),
    ("/files/{+rest}", "/files/{rest*}", "/files/<rest..>"),
    ("/", "/", "/"),
    ("/a-b/~c/{name}", "/a-b/~c/{name}", "/a-b/~c/<name>"),
]


def declare(route: str, **more: str) -> str:
    return f"app: a\njobs:\n  f:\n    code: h.py#f\n    when:\n      - web: '{route}'\n" + "".join(
        f"    {key}: {value}\n" for key, value in more.items()
    )


@pytest.mark.parametrize(("hub", "ostermere", "thornwick"), ROUTES)
def test_routes_are_read_and_written_in_every_spelling(
    project: Project, hub: str, ostermere: str, thornwick: str
) -> None:
    folder = project({"ostermere.yaml": declare(f"GET|HEAD {ostermere}")})
    _, read = read_project(folder)
    trigger = read.functions[0].routes[0]
    assert (trigger.route, trigger.methods) == (hub, ("GET", "HEAD"))
    written = write_definition(read, THORNWICK)["thornwick.toml"]
    assert f'"{thornwick}"' in written
    again = read_project(project({"thornwick.toml": written}, "there"))[1]
    assert again.functions[0].routes[0].route == hub
    assert f"GET|HEAD {ostermere}" in write_definition(again, OSTERMERE)["ostermere.yaml"]


NAMES = st.from_regex(r"[a-z][a-z0-9_]{0,8}", fullmatch=True).filter(lambda name: not keyword.iskeyword(name))
TEXTS = st.text(
    st.characters(exclude_categories=["Cc", "Cs"], exclude_characters="\u2028\u2029\ufeff\x85"), max_size=10
)
DAY = Piece("segment", "day")
FILTERS = st.sampled_from(
    [
        EVERY_KEY,
        begins("north/"),
        begins("a*b[c]?"),
        ends(".csv"),
        all_of(begins("north/"), ends(".csv")),
        Pattern.of("north/", DAY, ".csv"),
        Pattern.of("north/", Piece("any", "rest")),
        Pattern.of("a", Piece("part"), "/", ANY, "x"),
        Pattern.of("whole key"),
        Pattern.of("v", Piece("of", "", "0123456789"), ".txt"),
    ]
)
SCHEDULES = st.sampled_from(
    [
        Schedule.of(Calendar(minutes=(0,), hours=(2,))),
        Schedule.of(Calendar(minutes=(0, 15, 30, 45))),
        Schedule.of(Every(420)),
        Schedule.of(Every(5400, 600)),
        Schedule.of(Calendar(minutes=(30,), hours=(4,), days=(1, 15))),
        Schedule.of(Calendar(minutes=(0,), hours=(9,), weekdays=(1, 2, 3, 4, 5)), zone="Europe/Prague"),
        Schedule.of(Calendar((10,), (0,), (6, 18), (), (4, 5), (0,))),
        Schedule.of(Calendar((0,), (0,), (6,), (13,), (), (5,), either=True)),
    ]
)
CHANGES = {"object": ["created", "deleted", "relabelled"], "record": ["inserted", "updated", "deleted"]}


def changes(kind: str) -> st.SearchStrategy[tuple[str, ...]]:
    return st.lists(st.sampled_from(CHANGES[kind]), unique=True, max_size=2).map(lambda found: tuple(sorted(found)))


TRIGGERS = st.one_of(
    st.builds(
        lambda route, methods, callers, types, slash: RouteTrigger(
            route, methods, callers, types, slash and not route.endswith(("rest}", "/"))
        ),
        st.sampled_from([route for route, _, _ in ROUTES]),
        st.lists(st.sampled_from(["GET", "POST", "PUT", "M-SEARCH"]), unique=True, max_size=2).map(tuple),
        st.sampled_from(["", "public", "key", "principal"]),
        st.sampled_from([{}, {"hive": "int"}, {"hive": "uuid"}]),
        st.booleans(),
    ),
    st.builds(EventTrigger, st.just("object"), NAMES, changes("object"), FILTERS),
    st.builds(
        EventTrigger,
        st.just("message"),
        NAMES,
        where=st.sampled_from([{}, {"region": ("north", "heath")}]),
        batch_size=st.sampled_from([0, 10]),
        batch_window=st.sampled_from([0, 5]),
    ),
    st.builds(EventTrigger, st.just("record"), NAMES, changes("record")),
    st.builds(EventTrigger, st.just("schedule"), schedule=SCHEDULES),
    st.builds(EventTrigger, st.just("signal"), NAMES),
)
ACCESS = st.builds(
    lambda one, name: Access(one[0], one[1], name),
    st.sampled_from([("object", "read"), ("object", "write"), ("message", "send"), ("record", "write")]),
    NAMES,
)
FUNCTIONS = st.builds(
    Function,
    name=NAMES,
    entry=st.builds(Entry, NAMES.map(lambda name: f"handlers/{name}.py"), NAMES),
    triggers=st.lists(TRIGGERS, min_size=1, max_size=3).map(tuple),
    language=st.sampled_from(["", "3.11"]),
    memory=st.sampled_from([0, 128, 256]),
    timeout=st.sampled_from([0, 30, 2.5]),
    variables=st.dictionaries(NAMES.map(str.upper), TEXTS, max_size=3),
    secrets=st.dictionaries(NAMES.map(str.upper), NAMES, max_size=2),
    attempts=st.sampled_from([0, 4]),
    dead_letter=st.sampled_from(["", "failed"]),
    concurrency=st.sampled_from([0, 8]),
    access=st.lists(ACCESS, max_size=3, unique=True).map(lambda found: tuple(sorted(found))),
)


def held(function: Function, profile: Profile) -> Function | None:
    """Return what of a function a provider's definition can hold; nothing if none of its triggers is."""
    triggers = []
    routes: set[str] = set()
    for trigger in function.triggers:
        taken = trigger.route if isinstance(trigger, RouteTrigger) else ""
        types = set(trigger.types) if isinstance(trigger, RouteTrigger) else set()
        if not fit_trigger(trigger, profile).unheld and taken not in routes and all(f"{{{n}}}" in taken for n in types):
            triggers.append(trigger)
        routes.add(taken or repr(trigger))
    names = {unheld.field for unheld in fit_function(function, profile)[1]}
    blank: dict[str, Any] = {"dead_letter": "", "attempts": 0, "concurrency": 0, "access": (), "entry": function.entry}
    return replace(function, triggers=tuple(triggers), **{n: blank[n] for n in names}) if triggers else None


def bare(function: Function) -> Function:
    """Return a function as read without what only reading adds: places, and the names of parameters."""
    triggers = tuple(replace(trigger, place=Place()) for trigger in function.triggers)
    return replace(function, triggers=triggers, place=Place(), bindings=())


MANUALS = [str(ROOT / "tests" / "manuals" / f"{name}.yaml") for name in ("netherby-4", "saltmarsh-2", "wexcombe-7")]


@pytest.mark.parametrize("name", some([*MANUALS, *(profile.name for profile in DECLARING)], 1 if WHOLE else 9))
@given(functions=st.lists(FUNCTIONS, min_size=1, max_size=3, unique_by=lambda f: f.name))
def test_read_undoes_write(tmp_path_factory: pytest.TempPathFactory, name: str, functions: list[Function]) -> None:
    profile = find_profile(name)
    model = checked_definition(profile)
    assert model is not None
    folder = tmp_path_factory.mktemp("written")
    seen: set[str] = set()
    made = []
    for function in functions:
        kept = held(function, profile)
        if kept and not seen & {t.route.replace("hive", "name") for t in kept.routes}:
            seen |= {t.route.replace("hive", "name") for t in kept.routes}
            made.append(kept)
    if not made:
        return
    stages = (Stage("prod", {made[0].name: {"memory": 512}}),) if model.stages else ()
    put(folder, write_definition(Declared("apiary", "north", tuple(made), stages=stages), profile))
    every = {name for function in made for name in function.variables}
    read = read_project(folder, profile, carry_values=every)[1]
    assert (read.name, read.region, read.findings) == ("apiary", "north", ())
    assert [replace(stage, place=Place()) for stage in read.stages] == list(stages)
    assert [one.name for one in read.functions] == [one.name for one in sorted(made, key=lambda f: f.name)] or [
        one.name for one in read.functions
    ] == [one.name for one in made]
    for wanted in made:
        got = bare(next(one for one in read.functions if one.name == wanted.name))
        if model.functions.code:
            got = replace(got, entry=wanted.entry)  # which is called by the function that carries the decorators
        if model.functions.files.count("/") > 1:  # which lies beside its declaration
            got = replace(got, entry=wanted.entry)
        if profile.model.handler.script:
            got = replace(got, entry=replace(got.entry, name=wanted.entry.name))
        # A slash that may be left out, and a schedule that one text does not say, are several triggers.
        one_for_one = [fit_trigger(t, profile).entries for t in wanted.triggers]
        if not model.functions.triggers_at:  # where they stand under keys of their kinds
            got = replace(got, triggers=tuple(sorted(got.triggers, key=lambda one: one.kind)))
        shall = normal(wanted, profile)
        if not model.functions.triggers_at:
            shall = replace(shall, triggers=tuple(sorted(shall.triggers, key=lambda one: one.kind)))
        if all(len(entries) == 1 for entries in one_for_one):
            assert got == shall
        else:
            assert len(got.triggers) == sum(map(len, one_for_one))
            assert replace(got, triggers=()) == replace(shall, triggers=())


def normal(function: Function, profile: Profile) -> Function:
    """Return a function as a provider's own spelling of filters and schedules gives it back."""
    triggers: list[RouteTrigger | EventTrigger] = []
    for trigger in function.triggers:
        if isinstance(trigger, EventTrigger) and trigger.kind in ("object", "schedule"):
            if len(fit_trigger(trigger, profile).entries) != 1:
                continue
            triggers.append(_again(trigger, profile))
        elif isinstance(trigger, RouteTrigger) and not trigger.callers:  # what holds where nothing is said
            model = checked_definition(profile)
            rows = (
                [row for kind in model.functions.triggers for row in kind.rows if row.is_ == "callers"] if model else []
            )
            triggers.append(replace(trigger, callers="public" if any(row.usual for row in rows) else ""))
        else:
            triggers.append(trigger)
    names = any(row.as_ == "names" for row in profile.model.definition.functions.rows)  # type: ignore[union-attr]
    secrets = {name: name for name in function.secrets} if names else function.secrets
    return replace(function, triggers=tuple(triggers), secrets=secrets)


def _again(trigger: EventTrigger, profile: Profile) -> EventTrigger:
    with tempfile.TemporaryDirectory() as made:
        folder = put(Path(made), declaring(profile, Function("f", Entry("h.py", "f"), (trigger,))))
        (got,) = read_project(folder, profile)[1].functions[0].triggers
    assert isinstance(got, EventTrigger)
    assert differing_key(got.filter, trigger.filter) is None
    if trigger.schedule or got.schedule:
        assert trigger.schedule
        assert got.schedule
        assert first_difference(got.schedule, trigger.schedule, FROM) is None
    return replace(got, place=Place())


#: ostermere.yaml → what is refused, at which line (0: any)
REFUSED = [
    ("app: [", "is not YAML", 0),
    ("app: a\n\tjobs: {}", "is not YAML", 2),
    ("app: a\napp: b\n", "has the key 'app' twice", 2),
    ("- a\n", "is not a mapping", 1),
    ("", "is not a mapping", 1),
    ("app: a\n", "no functions stand under jobs", 1),
    ("app: a\njobs:\n  f: 3\n", "function f is not a mapping", 3),
    ("app: a\njobs:\n  f: {when: []}\n", "function f has no code", 3),
    (declare("GET /a").replace("h.py#f", "h.py"), "expected file.py#function", 4),
    (declare("GET /a").replace("h.py#f", "../h.py#f"), "expected a file inside the project", 4),
    (declare("GET /a").replace("h.py#f", "/etc/h.py#f"), "expected a file inside the project", 4),
    (declare("/a"), "expected a method and a route", 6),
    (declare("get /a"), "expected a request method in capitals", 6),
    (declare("GET a"), "expected a route that begins with a slash", 6),
    (declare("GET /a-{b}"), "expected captures as whole segments, such as {hive} or {hive*}", 6),
    (declare("GET /{a*}/b"), "a capture of the rest stands last", 6),
    (declare("GET /{a}/{a}"), "captures a name twice", 6),
    (declare("GET /a", ram="big"), "expected a whole number", 7),
    (declare("GET /a", vars="[1]"), "expected a mapping", 7),
    (declare("GET /a", vars="{A: [1]}"), "expected a text or a number", 7),
    (declare("GET /a").replace("web:", "wbe:"), "none of the keys", 6),
    ("app: a\njobs:\n  f: {code: h.py#f, when: {web: GET /a}}\n", "is not a list", 3),
    (
        "a: &a [x, x, x, x, x, x, x, x, x]\n"
        + "".join(f"{chr(98 + n)}: &{chr(98 + n)} [{', '.join([f'*{chr(97 + n)}'] * 9)}]\n" for n in range(8)),
        "has too many parts",
        0,
    ),
    ("a: " + "[" * 200, "", 0),
    ("a: !!python/object:os.system x\n", "has a tag", 1),
    ("a: 1" + "0" * 5000, "can't be read", 1),
    (
        "app: a\njobs:\n"
        "  f: {code: h.py#f, when: [{web: 'GET /a/{b}'}]}\n  g: {code: h.py#g, when: [{web: 'GET /a/{c}'}]}\n",
        "g takes GET /a/{c}, as f does already (ostermere.yaml:3:",
        4,
    ),
]


@pytest.mark.parametrize(("text", "says", "line"), REFUSED)
def test_bad_definitions_are_one_message_with_file_and_line(project: Project, text: str, says: str, line: int) -> None:
    folder = project({"ostermere.yaml": text})
    with pytest.raises(BadInput) as error:
        read_project(folder)
    assert says in str(error.value)
    assert str(folder / "ostermere.yaml") in str(error.value)
    assert line in (0, error.value.place.line)


def test_what_is_not_understood_is_kept_as_findings_with_file_and_line(project: Project) -> None:
    text = (
        "app: a\nzone: n\nowner: me\njobs:\n  f:\n    code: h.py#f\n    tries: 3\n    colour: red\n"
        "    sealed: {KEY: s3cr3t-value!}\n    when:\n      - web: GET /a\n        caller: anyone\n"
        "      - clock: every 15 minutes\n      - clock: every 0 minutes\n"
    )
    found = read_project(project({"ostermere.yaml": text}))[1].findings
    assert [(f.code, str(f.severity), f.place.file, f.place.line) for f in found] == [
        ("unknown-key", "todo", "ostermere.yaml", 3),
        ("secret-value", "blocking", "ostermere.yaml", 9),
        ("unknown-key", "todo", "ostermere.yaml", 8),
        ("unknown-key", "todo", "ostermere.yaml", 12),
        ("schedule-not-carried", "blocking", "ostermere.yaml", 14),
    ]
    assert "did you mean 'callers'" in found[3].reason
    assert not any("s3cr3t" in str(finding) for finding in found)
    assert all(isinstance(finding.severity, Severity) for finding in found)


@pytest.mark.parametrize(
    ("files", "says"),
    [
        ({"readme.txt": "x"}, "there is no definition file"),
        ({"ostermere.yaml": "a: 1", "thornwick.toml": "a = 1"}, "several definition files"),
        ({"thornwick.toml": "a = \n"}, "is not TOML"),
        ({"thornwick.toml": "a = 1\na = 2\n"}, "is not TOML"),
        ({"ostermere.yaml": b"app: \xff\n"}, "is not UTF-8"),
        ({"ostermere.yaml": b"a" * (9 << 20)}, "more than"),
    ],
)
def test_files_that_can_not_be_read(project: Project, files: dict[str, str | bytes], says: str) -> None:
    with pytest.raises(BadInput, match=says):
        read_project(project(files))


def test_yaml_is_version_1_2() -> None:
    data = parse_yaml("on: no\nyes: 012\ntime: 1:30\nf: 1e3\nn: ~\nx: 0x1F\n", "f", "it").data
    assert data == {"on": "no", "yes": 12, "time": "1:30", "f": 1000.0, "n": None, "x": 31}


TOML = '''# comment
workshop = "a"
text = """
[not.a.table]
key = 1
"""

[piece.f]
entry = "h:f"
keys = { A = "x" }

[[piece.f.answers]]
route = "/a"

[[piece.f.answers]]
"route" = "/b"

[piece."g h"]
entry.x = 1
'''


def test_every_key_of_a_toml_file_has_its_line(tmp_path: Path) -> None:
    (tmp_path / "a.toml").write_text(TOML)
    document = read_toml(tmp_path / "a.toml", "a.toml", "it")
    lines = {path: line for path, (line, _) in document.places.items()}
    assert lines == {
        (): 1,
        ("workshop",): 2,
        ("text",): 3,
        ("piece",): 8,
        ("piece", "f"): 8,
        ("piece", "f", "entry"): 9,
        ("piece", "f", "keys"): 10,
        ("piece", "f", "answers"): 12,
        ("piece", "f", "answers", 0): 12,
        ("piece", "f", "answers", 0, "route"): 13,
        ("piece", "f", "answers", 1): 15,
        ("piece", "f", "answers", 1, "route"): 16,
        ("piece", "g h"): 18,
        ("piece", "g h", "entry"): 19,
        ("piece", "g h", "entry", "x"): 19,
    }
    assert document.place("piece", "f", "keys", "A").line == 10


#: form → what a definition says, and what the hub has for it; nothing: it is refused
FORM_CASES: list[tuple[str, Any, Any]] = [
    ("choices(put=created, drop=deleted)", ["put", "drop"], ("created", "deleted")),
    ("choices(put=created, drop=deleted)", "put", None),
    ("choices(put=created, drop=deleted)", ["pot"], None),
    ("choice_words(put=created, drop=deleted)", "put, drop", ("created", "deleted")),
    ("choice_words(put=created, drop=deleted)", "put; drop", None),
    ("access(' ', read_store=object_read)", ["read store a"], (Access("object", "read", "a"),)),
    ("access(' ', read_store=object_read)", ["read a"], None),
    ("access(' ', read_store=object_read)", {}, None),
    ("access('/', objects_get=object_read)", ["objects.get/a"], (Access("object", "read", "a"),)),
    ("number", "12", 12),
    ("number", "twelve", None),
    ("size('MiB')", "256MiB", 256),
    ("size(' MB')", "192 MB", 192),
    ("size('M')", "1.5K", None),
    ("size('M')", 256, None),
    ("quantity('M')", "256M", 256),
    ("quantity(' GiB')", "0.25 GiB", 256),
    ("quantity(kB)", "1024kB", 1),
    ("quantity(B)", "12B", None),
    ("quantity(GiB)", "0.3GiB", None),
    ("quantity(GiB)", "2GB", None),
    ("each", ["a", "b"], ("a", "b")),
    ("each", [1], None),
    ("apart('|')", "GET|PUT", ["GET", "PUT"]),
    ("grouped('name', 'is')", [{"name": "a", "is": "1"}, {"name": "a", "is": "2"}], {"a": ("1", "2")}),
    ("grouped('name', 'is')", [{"name": "a"}], None),
    ("any_ends('from', 'to')", [{"from": "a/"}, {"to": ".csv"}], AnyOf((begins("a/"), ends(".csv")))),
    ("any_ends('from', 'to')", [{"in": "a/"}], None),
    ("names", ["key"], {"key": "key"}),
    ("names", {"KEY": "vault:key"}, None),
    ("days_at('on', 'at')", {"on": "mon-fri", "at": "25:00"}, None),
    ("days_at('on', 'at')", {"on": "mon-fry", "at": "06:15"}, None),
]

#: form, words of its row, what a definition says, and what the hub has for it; nothing: it is refused
WORDED: list[tuple[str, dict[str, str], Any, Any]] = [
    ("words_by_beginning", {"a.put": "created", "a.cut": "deleted"}, ["a.put"], ("created",)),
    ("words_by_beginning", {"a.put": "created", "a.cut": "deleted"}, ["b*"], None),
    ("words_in_one_text", {"a.put": "created", "a.cut": "deleted"}, "a.cut a.put", ("deleted", "created")),
    (
        "access_in_words",
        {"read {name} in {_=here}": "record_read"},
        ["read b in here"],
        (Access("record", "read", "b"),),
    ),
    ("access_in_words", {"read {name}[ at {_}]": "object_read"}, ["read b"], (Access("object", "read", "b"),)),
    ("access_in_words", {"read {name}": "object_read"}, ["write b"], None),
]


@pytest.mark.parametrize(("name", "words", "said", "hub"), WORDED)
def test_forms_in_words_are_read_and_written(name: str, words: dict[str, str], said: Any, hub: Any) -> None:
    row = DefinitionRow.model_validate({"at": "x", "is": "source", "as": name, "words": words})
    form = parse_form(row, route_style(OSTERMERE))
    if hub is None:
        with pytest.raises(FormError, match="expected"):
            form.read(said, "source")
        return
    assert form.read(said, "source") == hub
    assert form.write(hub) == said


def test_words_that_leave_some_out_are_read_as_all_that_mean_the_same() -> None:
    row = DefinitionRow.model_validate(
        {"at": "x", "as": "words_by_beginning", "words": {"row:cut": "deleted", "row:gone": "deleted"}}
    )
    with pytest.raises(Wider, match=r"row:cu\* leaves out row:gone") as wider:
        parse_form(row, route_style(OSTERMERE)).read(["row:cu*"], "changes")
    assert wider.value.value == ("deleted",)


#: days and times as a definition says them → (year, month, day, hour, minute) of the first two firings from 2026 on
DAYS = {
    "weekdays at 06:15 and 18:40": ["2026-01-01 06:15", "2026-01-01 18:40"],
    "mondays and thursdays at 9:00": ["2026-01-01 09:00", "2026-01-05 09:00"],
    "sat-mon at 00:30": ["2026-01-03 00:30", "2026-01-04 00:30"],
    "the last day of the month at 23:00 in Europe/Vienna": ["2026-01-31 22:00", "2026-02-28 22:00"],
    "the 1st of the month at 00:30": ["2026-01-01 00:30", "2026-02-01 00:30"],
    "every 20 minutes": ["2026-01-01 00:20", "2026-01-01 00:40"],
}


@pytest.mark.parametrize("text", DAYS)
def test_days_and_times_fire_when_they_say(text: str) -> None:
    style = STYLES["days"]
    schedule = style.read(text)
    assert [f"{moment:%Y-%m-%d %H:%M}" for moment in schedule.next(2, FROM)] == DAYS[text]
    (again,) = [style.read(one) for one in style.write(schedule)][:1]
    assert again.zone == schedule.zone
    if len(style.write(schedule)) == 1:
        assert first_difference(again, schedule, FROM) is None


def test_what_is_laid_over_counts() -> None:
    under = {"a": 1, "env": [{"k": "A", "v": "1"}, {"k": "B", "v": "2"}], "more": {"x": 1, "y": 2}, "gone": 3}
    over = {"env": [{"k": "B", "v": "3"}, {"k": "C", "hasp": "c"}], "more": {"y": 4}, "gone": None}
    assert merged(under, over, {"env": "k"}) == {
        "a": 1,
        "env": [{"k": "A", "v": "1"}, {"k": "B", "v": "3"}, {"k": "C", "hasp": "c"}],
        "more": {"x": 1, "y": 4},
    }
    names = {"a": "x-[[b]]", "b": 7, "c": "[[d]]", "d": "[[c]]", "kept": None}
    assert filled({"is": ["[[a]]", "[[b]]", "[[kept]]"]}, "[[{name}]]", names.__getitem__) == {
        "is": ["x-7", 7, "[[kept]]"]
    }
    with pytest.raises(NoSuchName, match="leads to itself"):
        filled("[[c]]", "[[{name}]]", names.__getitem__)


#: a row of a function beside its place, what stands there, the field that it feeds, and what that is; nothing: refused
OF_FUNCTIONS: list[tuple[dict[str, Any], Any, str, Any]] = [
    *(
        ({"is": "timeout", "as": "duration"}, text, "timeout", seconds)
        for text, seconds in (("90s", 90), ("500ms", 0.5), ("later", None), ("1h 1", None))
    ),
    ({"is": "timeout", "as": "duration(iso)"}, "PT90S", "timeout", 90),
    ({"is": "timeout", "as": "duration(clock)"}, "00:01:30", "timeout", 90),
    ({"is": "timeout", "as": "duration(words)"}, "90 seconds", "timeout", 90),
    ({"is": "timeout", "as": "span(ms)"}, 2500, "timeout", 2.5),
    ({"is": "timeout", "as": "span(min)"}, 2, "timeout", 120),
    ({"is": "timeout", "as": "span(min)"}, "2", "timeout", None),
    ({"is": "memory", "as": "size('GiB')"}, "0.5GiB", "memory", 512),
    ({"is": "memory", "as": "size('B')"}, 134217728, "memory", 128),
    ({"is": "memory", "as": "units(1024)"}, 2, "memory", 2048),
    ({"is": "memory", "words": {"small": 128, "large": 1024}}, "large", "memory", 1024),
    ({"is": "memory", "words": {"small": 128, "large": 1024}}, "huge", "memory", None),
    ({"is": "language", "words": {"py312": "3.12"}}, "py312", "language", "3.12"),
    ({"is": "python{language}"}, "python3.12", "language", "3.12"),
    ({"is": "attempts", "as": "counted_from(0)"}, 2, "attempts", 3),
    ({"is": "variables", "as": "assignments"}, ["A=1", "B=2=3"], "variables", {"A": "1", "B": "2=3"}),
    ({"is": "variables", "as": "assignments(lines)"}, "A=1\nB=2\n", "variables", {"A": "1", "B": "2"}),
    ({"is": "variables", "as": "list_of_words(':') | texts"}, ["A:1"], "variables", {"A": "1"}),
    ({"is": "variables", "as": "assignments"}, ["A"], "variables", None),
    ({"is": "secrets", "as": "under('from')"}, {"K": {"from": "vault/k"}}, "secrets", {"K": "vault/k"}),
]


def one_row(row: dict[str, Any]) -> DefinitionRow:
    return DefinitionRow.model_validate({"at": "x", **row})


@pytest.mark.parametrize(("row", "said", "field", "hub"), OF_FUNCTIONS)
def test_forms_of_functions_are_read_and_written(row: dict[str, Any], said: Any, field: str, hub: Any) -> None:
    form = parse_form(one_row(row), route_style(OSTERMERE))
    if hub is None:
        with pytest.raises(FormError, match="expected"):
            form.read(said, field)
        return
    assert form.read(said, field) == hub
    assert form.write(hub) == said


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("1m30s", 90), ("1 minute 30 seconds", 90), ("0.5h", 1800), ("01:30", 90), ("1:00:00", 3600), ("PT1H2M", 3720)],
)
def test_a_span_of_time_is_read_however_it_is_spelt(text: str, seconds: float) -> None:
    assert (
        parse_form(one_row({"is": "timeout", "as": "duration"}), route_style(OSTERMERE)).read(text, "timeout")
        == seconds
    )


def test_memory_that_is_no_short_number_of_a_unit_is_not_written_in_it() -> None:
    """512 MiB at a provider of GiB was written as 512 GiB."""
    form = parse_form(one_row({"is": "memory", "as": "size('GiB')"}), route_style(OSTERMERE))
    assert (form.write(512), form.write(3072)) == ("0.5GiB", "3GiB")
    with pytest.raises(CannotHold, match="no short number"):
        form.write(1)


#: kind, its rows and what else is said of it, what stands in a function (or at the top), what the trigger is then
OF_TRIGGERS: list[tuple[str, dict[str, Any], Any, dict[str, Any]]] = [
    (
        "schedule",
        {"rows": [{"at": "x", "is": ["cron({schedule | schedule(cron)})", "every({schedule | schedule(span)})"]}]},
        [{"x": "cron(0 2 * * *)"}],
        {"schedule": Schedule.of(Calendar((0,), (0,), (2,)))},
    ),
    (
        "schedule",
        {"rows": [{"at": "x", "is": ["cron({schedule | schedule(cron)})", "every({schedule | schedule(span)})"]}]},
        [{"x": "every(7 min)"}],
        {"schedule": Schedule.of(Every(420))},
    ),
    (
        "schedule",
        {"rows": [{"at": "x", "is": "schedule", "as": "cron_by_key(minute, hour, day, month, weekday)"}]},
        [{"x": {"minute": "0", "hour": "2"}}],
        {"schedule": Schedule.of(Calendar((0,), (0,), (2,)))},
    ),
    (
        "schedule",
        {"rows": [{"at": ["when.on", "x"], "is": "schedule", "as": "days_at('on', 'x')"}]},
        [{"x": ["02:00"], "when": {"on": "mon"}}],
        {"schedule": Schedule.of(Calendar((0,), (0,), (2,), weekdays=(1,)))},
    ),
    (
        "schedule",
        {"rows": [{"at": ["on", "x"], "is": "schedule", "as": "days_at('on', 'x', each)"}]},
        [{"on": ["tue", "fri"], "x": ["02:00"]}],
        {"schedule": Schedule.of(Calendar((0,), (0,), (2,), weekdays=(2, 5)))},
    ),
    (
        "schedule",
        {"rows": [{"at": ["x", "hour"], "is": "schedule", "as": "cron_by_key(x, hour, day, month, weekday)"}]},
        [{"x": "0", "hour": "2"}],
        {"schedule": Schedule.of(Calendar((0,), (0,), (2,)))},
    ),
    (
        "schedule",
        {"rows": [{"at": "x", "is": "schedule", "as": "whole | unsuffixed(' min') | schedule(span)"}]},
        [{"x": 7}],
        {"schedule": Schedule.of(Every(420))},
    ),
    (
        "schedule",
        {"rows": [{"at": ["x", "unit"], "is": "schedule", "as": "'{ | whole} {}' | schedule(span)"}]},
        [{"x": 7, "unit": "min"}],
        {"schedule": Schedule.of(Every(420))},
    ),
    (
        "message",
        {"told_by": {"x": "queue"}, "rows": [{"at": "of", "is": "source"}]},
        [{"x": "queue", "of": "a"}],
        {"source": "a"},
    ),
    ("message", {"rows": [{"at": "x", "is": "queue:{source}:{_=north}"}]}, [{"x": "queue:a:north"}], {"source": "a"}),
    (
        "message",
        {"rows": [{"at": "x", "is": "source"}, {"at": "if", "is": "where", "as": "list_of_words('=') | texts"}]},
        [{"x": "a", "if": ["region=north"]}],
        {"source": "a", "where": {"region": ("north",)}},
    ),
    ("message", {"are": "one", "rows": [{"at": "x", "is": "source"}]}, {"x": "a"}, {"source": "a"}),
    ("message", {"are": "by_name", "rows": [{"at": "x", "is": "source"}]}, {"trigger1": {"x": "a"}}, {"source": "a"}),
    (
        "object",
        {"rows": [{"at": "x", "is": "source"}, {"at": "keys", "is": "key_filter", "as": "any_filter(begins)"}]},
        [{"x": "a", "keys": ["north/", "heath/"]}],
        {"filter": AnyOf((begins("north/"), begins("heath/")))},
    ),
    (
        "http",
        {"rows": [{"at": "x", "is": "route"}, {"at": "by", "is": "methods", "as": "methods(lower, ' ')"}]},
        [{"x": "/a/{b}", "by": "get put"}],
        {"route": "/a/{b}", "methods": ("GET", "PUT")},
    ),
    (
        "http",
        {"rows": [{"at": "x", "is": "route"}, {"at": "by", "is": "methods", "as": "method(lower)"}]},
        [{"x": "/a", "by": "put"}],
        {"route": "/a", "methods": ("PUT",)},
    ),
    (
        "http",
        {"fixed": {"methods": ["GET"]}, "rows": [{"at": "x", "is": "route"}]},
        [{"x": "/a"}],
        {"methods": ("GET",)},
    ),
    (
        "http",
        {
            "rows": [
                {"at": "x", "is": "route"},
                {"at": "open", "is": "callers", "words": {True: "public", False: "key"}},
            ]
        },
        [{"x": "/a", "open": False}],
        {"callers": "key"},
    ),
    (
        "http",
        {"top": {"function": "to"}, "rows": [{"at": "x", "is": "methods_and_route"}]},
        [{"x": "GET /a", "to": "f"}],
        {"route": "/a", "methods": ("GET",)},
    ),
    (
        "http",
        {"top": {"function": "to", "keyed": "x"}, "rows": [{"at": "x", "is": "methods_and_route"}]},
        {"GET /a": "f"},
        {"route": "/a", "methods": ("GET",)},
    ),
    (
        "http",
        {
            "top": {"function": "to", "keyed": ["x", "by"]},
            "rows": [{"at": "x", "is": "route"}, {"at": "by", "is": "methods", "as": "methods(lower)"}],
        },
        {"/a": {"get": "f"}},
        {"route": "/a", "methods": ("GET",)},
    ),
]


def one_form(tmp_path: Path, file: str, functions: dict[str, Any], **top: Any) -> Profile:
    """Return a profile that says little more than where functions stand in a definition."""
    entry = {"at": ["file", "name"], "is": "entry", "as": "'{}#{}' | file_entry('#')"}
    model = {"provider": "it", "edition": 1, "title": "It", "about": "a form"}
    model |= {"routes": {"one": "{name}", "rest": "{name*}"}, "handler": {"parameters": ["event"], "event": ["event"]}}
    says = {"rows": [entry], "triggers_at": "when", "triggers": [], **functions}
    model["definition"] = {"file": file, "syntax": file.partition(".")[2], "functions": says, **top}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    (tmp_path / "h.py").write_text("def f(event): ...\n")
    return find_profile(str(tmp_path / "it.yaml"))


def test_a_key_inside_of_a_key_of_which_only_parts_are_known_is_told(tmp_path: Path) -> None:
    rows = [{"at": ["file", "name"], "is": "entry", "as": "'{}#{}' | file_entry('#')"}]
    rows += [{"at": "again.most", "is": "attempts"}]
    profile = one_form(tmp_path, "it.yaml", {"at": "all", "rows": rows})
    (tmp_path / "it.yaml").rename(tmp_path / "profile.yaml")
    (tmp_path / "it.yaml").write_text("all:\n  f:\n    file: h.py\n    name: f\n    again: {most: 3, wait: 2s}\n")
    read = read_project(tmp_path, profile)[1]
    assert [(one.code, one.reason.partition(" ")[0], one.place.line) for one in read.findings] == [
        ("unknown-key", "'wait'", 5)
    ]
    assert read.functions[0].attempts == 3


CODE = """from taps import kettle, tap


@kettle(cups=256)
@tap.steam("GET /a")
def f(event): ...
"""


@pytest.mark.parametrize("known", [["kettle", "tap.steam"], ["kettle", "tap"]])
def test_decorators_stand_under_no_key_and_are_named_with_their_module(tmp_path: Path, known: list[str]) -> None:
    model: dict[str, Any] = {"provider": "it", "edition": 1, "title": "It", "about": "a form"}
    model |= {"handler": {"parameters": ["event"], "event": ["event"]}, "decorators": {"taps": known}}
    route = {"at": "way", "is": "methods_and_route"}
    code = {"module": "taps", "settings": "kettle", "file": "of_this.py", "decorators": {"tap.steam": ["way"]}}
    functions = {"code": code, "rows": [{"at": "cups", "is": "memory"}]}
    functions["triggers"] = [{"kind": "http", "told_by": "way", "decorator": "tap.steam", "rows": [route]}]
    model["definition"] = {"file": "it.yaml", "syntax": "yaml", "functions": functions}
    (tmp_path / "its.yaml").write_text(yaml.safe_dump(model))
    (tmp_path / "it.yaml").write_text("{}\n")
    (tmp_path / "h.py").write_text(CODE)
    profile = find_profile(str(tmp_path / "its.yaml"))
    if "tap.steam" not in known:
        with pytest.raises(BadInput, match=r"taps has no decorator tap\.steam"):
            read_project(tmp_path, profile)
        return
    read = read_project(tmp_path, profile)[1]
    assert [(one.name, one.memory, one.triggers[0].kind) for one in read.functions] == [("f", 256, "http")]
    assert not read.findings


@pytest.mark.parametrize("at", [".", "a..b", ["a", ""]])
def test_what_is_no_key_is_refused(tmp_path: Path, at: Any) -> None:
    profile = one_form(tmp_path, "its.yaml", {"at": "all", "rows": [{"at": at, "is": "entry"}]})
    (tmp_path / "its.yaml").write_text("all: {f: {}}\n")
    with pytest.raises(BadInput, match="is no key"):
        read_project(tmp_path, profile)


OWN = {"file": "h.py", "name": "f"}
MAPPED = {"f": OWN, "g": OWN}
IN_A_LIST = [{"id": "f", **OWN}, {"id": "g", **OWN}]
#: Where functions stand (at, named_by), what else stands there, and a file.
STANDING: list[tuple[str, str, dict[str, Any], Any]] = [
    (".", "id", {}, IN_A_LIST),
    (".", "", {}, MAPPED),
    (".", "", {"name": "app"}, {"app": "x", **MAPPED}),
    ("all.jobs", "", {"name": "app"}, {"app": "x", "all": {"jobs": MAPPED}}),
    ("all.jobs", "id", {"name": "all.app"}, {"all": {"app": "x", "jobs": IN_A_LIST}}),
]


@pytest.mark.parametrize("file", ["it.json", "it.yaml"])
@pytest.mark.parametrize(("at", "named_by", "top", "data"), STANDING)
def test_functions_are_a_whole_file_or_lie_deep_in_it(
    tmp_path: Path, file: str, at: str, named_by: str, top: dict[str, Any], data: Any
) -> None:
    profile = one_form(tmp_path, file.replace("it.", "its."), {"at": at, "named_by": named_by}, **top)
    path = tmp_path / file.replace("it.", "its.")
    dump, load = (json.dumps, json.loads) if file.endswith("json") else (yaml.safe_dump, yaml.safe_load)
    path.write_text(dump(data))
    _, read = read_project(tmp_path, profile)
    assert [one.name for one in read.functions] == ["f", "g"]
    assert not read.findings
    assert load(write_definition(read, profile)[path.name]) == data
    # What is wrong is named at its line, and what nobody knows is told, wherever the functions stand.
    lines = json.dumps(data, indent=0).replace('"name": "f"', '"name": 5', 1).splitlines()
    path.write_text("\n".join(lines))
    line = next(number for number, one in enumerate(lines, 1) if "5" in one)
    with pytest.raises(BadInput) as found:
        read_project(tmp_path, profile)
    assert found.value.place.line in (line, line - 1)
    path.write_text(json.dumps(data).replace('"f.py"', '"h.py"').replace('"file"', '"odd": 1, "file"', 1))
    assert [one.code for one in read_project(tmp_path, profile)[1].findings] == ["unknown-key"]
    # A beginning finds them there.
    path.write_text(dump(data))
    begun = begin_definition(path).lines
    assert f'    at: "{at}"' in begun
    assert (f'    named_by: "{named_by}"' in begun) is bool(named_by)


def test_a_function_can_not_be_called_like_another_key(tmp_path: Path) -> None:
    profile = one_form(tmp_path, "its.yaml", {"at": "."}, name="app")
    made = Declared("x", functions=(Function("app", Entry("h.py", "f"), ()),))
    with pytest.raises(BadInput, match="'app' can't be the name of a function"):
        write_definition(made, profile)


@pytest.mark.parametrize(
    ("file", "top", "says"),
    [("its.toml", {}, "a toml file can't be a list"), ("its.json", {"name": "app"}, "no place for the key 'app'")],
)
def test_a_list_leaves_no_place_for_anything_else(tmp_path: Path, file: str, top: dict[str, Any], says: str) -> None:
    with pytest.raises(BadInput, match=says):
        one_form(tmp_path, file, {"at": ".", "named_by": "id"}, **top)


@pytest.mark.parametrize(("kind", "says", "stands", "means"), OF_TRIGGERS)
def test_triggers_stand_in_many_ways_and_come_back(
    tmp_path: Path, kind: str, says: dict[str, Any], stands: Any, means: dict[str, Any]
) -> None:
    says = dict(says)
    top, are = says.pop("top", None), says.pop("are", "listed")
    trigger = {"kind": kind, "told_by": "x", **says}
    functions: dict[str, Any] = {"at": "all", "triggers_are": are, "triggers": [trigger] if top is None else []}
    functions["elsewhere"] = [{"at": "ways", **top, "triggers": [trigger]}] if top else []
    profile = one_form(tmp_path, "it.json", functions)
    own = OWN
    data = {"all": {"f": own if top else {**own, "when": stands}}, **({"ways": stands} if top else {})}
    (tmp_path / "it.json").write_text(json.dumps(data))
    _, read = read_project(tmp_path, profile)
    assert not read.findings
    (found,) = read.functions[0].triggers
    assert {name: getattr(found, name) for name in means} == means
    assert json.loads(write_definition(read, profile)["it.json"]) == data
    for at, held in ((".", stands), ("ways", {"ways": stands})) if top else ():  # in a file of their own
        functions["elsewhere"] = [{"at": at, **top, "file": "more/ways.yaml", "triggers": [trigger]}]
        (tmp_path / at).mkdir(exist_ok=True)
        profile = one_form(tmp_path, "it.json", functions)
        (tmp_path / "it.json").write_text(json.dumps({"all": {"f": own}}))
        put(tmp_path, {"more/ways.yaml": yaml.safe_dump(held)})
        _, read = read_project(tmp_path, profile)
        assert (read.findings, read.files) == ((), ("it.json", "more/ways.yaml"))
        assert {name: getattr(read.functions[0].triggers[0], name) for name in means} == means
        written = write_definition(read, profile)
        assert (json.loads(written["it.json"]), yaml.safe_load(written["more/ways.yaml"])) == (
            {"all": {"f": own}},
            held,
        )


def test_what_is_wrong_in_a_file_of_triggers_is_told_there(tmp_path: Path) -> None:
    trigger = {"kind": "http", "told_by": "x", "rows": [{"at": "x", "is": "route"}]}
    way = {"at": "ways", "function": "to", "file": "ways.toml", "triggers": [trigger]}
    profile = one_form(tmp_path, "it.json", {"at": "all", "elsewhere": [way]})
    (tmp_path / "it.json").write_text(json.dumps({"all": {"f": OWN}}))
    assert read_project(tmp_path, profile)[1].functions[0].triggers == ()  # there may be none
    (tmp_path / "ways.toml").write_text('[[ways]]\nx = "/a"\nto = "g"\n')
    with pytest.raises(BadInput, match=r"ways.toml:1.*there is no function 'g'"):
        read_project(tmp_path, profile)
    (tmp_path / "ways.toml").write_text('[[ways]]\nx = "/a"\nto = "f"\nodd = 1\n\n[rest]\n')
    found = read_project(tmp_path, profile)[1].findings
    assert [(one.code, one.place.file, one.place.line) for one in found] == [
        ("unknown-key", "ways.toml", 6),
        ("unknown-key", "ways.toml", 4),
    ]


COMMENTED = """import json

#: on: [{x: /a}]
#: memory: 256
#:
def first(event):
    return {}


#: on:
#:   - x: /b
#:   - {x: /c, odd: 1}
@json.loads
async def second(event): ...


#: memory: 128

three = 3
"""


@pytest.mark.parametrize("named_by", ["", "called"])
def test_functions_are_declared_by_comments_right_above_them(tmp_path: Path, named_by: str) -> None:
    trigger = {"kind": "http", "told_by": "x", "rows": [{"at": "x", "is": "route"}]}
    functions = {"comments": {"mark": "#:", "file": "functions.py"}, "triggers_at": "on", "triggers": [trigger]}
    rows = [{"at": "memory", "is": "memory"}]
    one_form(tmp_path, "app.yaml", {**functions, "named_by": named_by, "rows": rows}, name="app")
    model = yaml.safe_load((tmp_path / "it.yaml").read_text())
    model["http"] = {"event": {"rows": [{"at": 'event["path"]', "is": "path.raw"}]}}
    (tmp_path / "it.yaml").write_text(yaml.safe_dump(model))
    profile = find_profile(str(tmp_path / "it.yaml"))
    code = COMMENTED.replace("#: memory: 256", f"#: memory: 256\n#: {named_by}: the_first") if named_by else COMMENTED
    put(tmp_path, {"app.yaml": "app: it\n", "lib/h.py": code})
    _, read = read_project(tmp_path, profile)
    first, second = read.functions
    name = "the_first" if named_by else "first"
    assert (first.name, first.entry, first.memory) == (name, Entry("lib/h.py", "first"), 256)
    assert [one.route for one in (*first.routes, *second.routes)] == ["/a", "/b", "/c"]
    at = 1 if named_by else 0
    assert sorted((one.code, one.place.file, one.place.line) for one in read.findings) == [
        ("unknown-key", "lib/h.py", 12 + at),
        ("unknown-key", "lib/h.py", 17 + at),
    ]
    assert read.files == ("app.yaml",)
    # Written, they stand in a file of their own, which calls the handlers; read again, it is none of theirs.
    written = write_definition(read, profile)
    put(tmp_path, {**written, "lib/h.py": "def first(event):\n    return {}\n\n\nasync def second(event): ...\n"})
    _, again = read_project(tmp_path, profile)
    assert not again.findings
    assert again.files == ("app.yaml", "functions.py")
    both = [[(one.name, one.entry, one.memory, one.routes) for one in some.functions] for some in (read, again)]
    assert str(both[0]).partition("place")[0] == str(both[1]).partition("place")[0]
    # What is wrong is told at its line in the code; who declares nothing is told so.
    (tmp_path / "lib/h.py").write_text("\n\n#: on: [}]\ndef first(event): ...\n")
    with pytest.raises(BadInput, match=r"lib/h.py:3"):
        read_project(tmp_path, profile)
    put(tmp_path, {"lib/h.py": "", "functions.py": ""})
    with pytest.raises(BadInput, match=r"no comment in .* begins with #:"):
        read_project(tmp_path, profile)


#: what lines say, how functions stand in them, and the lines
PLAIN_LINES: list[tuple[list[dict[str, Any]], dict[str, Any], str]] = [
    (  # a function a line, with its trigger; none has a name
        [
            {"says": "app {app}"},
            {"says": "set {k} {v...}", "under": "env"},
            {"says": "{by} {x} {file}:{name}{=}", "under": "all"},
            {"says": "on {of} {file}:{name}[ at most {most}]{=}", "under": "all"},
            {"says": "at {m} {h} {d} {o} {w} {file}:{name}", "under": "all"},
        ],
        {"at": "all", "usual_name": "{name}", "triggers_are": "one", "triggers_at": "", "shared": ["env"]},
        """
        app it
        set UNIT kg
        set NOTE two words # and more
        GET /a/{b} h.py:f memory=256
        POST /a h.py:f memory=256
        on orders h.py:g at most 7 memory=512
        at 0 2 * * * h.py:late
        """,
    ),
    (  # a block each, told by its indentation
        [
            {"says": "[[{app}]]"},
            {
                "says": "lark {id}",
                "under": "all",
                "lines": [
                    {"says": "code {file} {name}"},
                    {"says": "memory: {memory}"},
                    {"says": "env {k}={v}", "under": "env"},
                    {"says": "way {by} {x}", "under": "when"},
                    {"says": "lane {of}[, {most} at once]", "under": "when"},
                    {"says": "bell {m} {h} {d} {o} {w}", "under": "when"},
                ],
            },
        ],
        {"at": "all", "named_by": "id"},
        """
        [it]
        lark f
          code h.py f
          memory: 256
          env UNIT=kg
          env NOTE="two words # and more"
          way GET /a/{b}
          way POST /a
        lark g
          code h.py g
          memory: 512
          lane orders, 7 at once
        lark late
          code h.py late
          bell 0 2 * * *
        """,
    ),
    (  # a block each, with its end
        [
            {"says": "app {app};"},
            {
                "says": "lark {id} = {file}/{name} {{",
                "under": "all",
                "ends": "}",
                "lines": [
                    {"says": "memory {memory};"},
                    {"says": "env {k} {v};", "under": "env"},
                    {"says": "ask {by} {x};", "under": "when"},
                    {"says": "lane {of}[ most {most}];", "under": "when"},
                    {"says": "bell {m} {h} {d} {o} {w};", "under": "when"},
                ],
            },
        ],
        {"at": "all", "named_by": "id"},
        """
        app it;
        lark f = h.py/f {
          memory 256;
          env UNIT kg;
          env NOTE "two words # and more";
          ask GET /a/{b};
          ask POST /a;
        }
        lark g = h.py/g {
          memory 512;
          lane orders most 7;
        }
        lark late = h.py/late {
          bell 0 2 * * *;
        }
        """,
    ),
]
LINE_TRIGGERS = [
    {
        "kind": "http",
        "told_by": "by",
        "rows": [{"at": "by", "is": "methods", "as": "method"}, {"at": "x", "is": "route"}],
    },
    {
        "kind": "message",
        "told_by": "of",
        "rows": [{"at": "of", "is": "source"}, {"at": "most", "is": "batch_size", "as": "number"}],
    },
    {
        "kind": "schedule",
        "told_by": "m",
        "rows": [{"at": ["m", "h", "d", "o", "w"], "is": "schedule", "as": "'{} {} {} {} {}' | schedule(cron)"}],
    },
]


@pytest.mark.parametrize(("lines", "functions", "text"), PLAIN_LINES)
def test_a_definition_may_be_plain_lines(
    tmp_path: Path, lines: list[dict[str, Any]], functions: dict[str, Any], text: str
) -> None:
    rows = [
        {"at": ["file", "name"], "is": "entry", "as": "'{}#{}' | file_entry('#')"},
        {"at": "memory", "is": "memory", "as": "number"},
        {"at": "env", "is": "variables", "as": "entries('k', 'v')"},
    ]
    says = {"triggers": LINE_TRIGGERS, **functions, "rows": rows}
    profile = one_form(tmp_path, "it.lines", says, lines=lines, name="app")
    text = textwrap.dedent(text).lstrip()
    path = tmp_path / "it.lines"
    path.write_text(f"# what is said of it\n\n{text}")
    _, read = read_project(tmp_path, profile)
    assert not read.findings
    assert [(one.name, one.memory, one.entry) for one in read.functions] == [
        ("f", 256, Entry("h.py", "f")),
        ("g", 512, Entry("h.py", "g")),
        ("late", 0, Entry("h.py", "late")),
    ]
    first, second, third = read.functions
    assert first.variables == {"UNIT": "kg", "NOTE": "two words # and more"}
    assert [(one.methods, one.route) for one in first.routes] == [(("GET",), "/a/{b}"), (("POST",), "/a")]
    assert isinstance(second.triggers[0], EventTrigger)
    assert (second.triggers[0].source, second.triggers[0].batch_size) == ("orders", 7)
    assert getattr(third.triggers[0], "schedule", None) == Schedule.of(Calendar((0,), (0,), (2,)))
    # What is written is read as the same; the lines come back as they were where none holds for several functions.
    written = write_definition(read, profile)["it.lines"]
    assert written == text or "shared" in functions
    path.write_text(written)
    plain = [replace(one, place=Place(), triggers=()) for one in read.functions]
    assert [replace(one, place=Place(), triggers=()) for one in read_project(tmp_path, profile)[1].functions] == plain
    # What no line can say is left out, and told.
    odd = replace(third, memory=64, variables={})
    told_of = [one.reason for one in fit_function(odd, profile)[1]]
    made = write_definition(Declared("it", functions=(odd,)), profile)["it.lines"]
    if "shared" in functions:
        assert told_of == ["no line there can say memory"]
        assert made == "app it\nat 0 2 * * * h.py:late\n"
        idle = fit_function(replace(third, triggers=()), profile)[1]
        assert [one.reason for one in idle] == ["no line there can say it without a trigger"]
    else:
        assert (told_of, "memory" in made) == ([], True)
    # A line that nobody knows is told where it stands, and one that says something twice is refused there.
    path.write_text(f"{text}frobnicate all\n")
    (told,) = read_project(tmp_path, profile)[1].findings
    assert (told.code, told.place.line) == ("unknown-key", text.count("\n") + 1)
    path.write_text(f"{text.splitlines()[0]}\n{text}")
    with pytest.raises(BadInput, match=r"it.lines:2:\d+: .*says app twice \(line 1\)"):
        read_project(tmp_path, profile)


@pytest.mark.parametrize(
    ("says", "told"),
    [
        ("a {b", "names in braces"),
        ("a {b}]", "closes a bracket that it never opened"),
        ("a [{b}", "a bracket is opened and not closed"),
        ("{a} {a}", "has a name twice"),
    ],
)
def test_forms_of_lines_that_can_not_stand_are_refused(tmp_path: Path, says: str, told: str) -> None:
    profile = one_form(tmp_path, "it.lines", {"at": "all", "named_by": "id"}, lines=[{"says": "x"}, {"says": says}])
    with pytest.raises(BadInput, match=told):
        checked_definition(profile)


def test_lines_that_can_not_be_are_told_with_their_place(tmp_path: Path) -> None:
    block = {"says": "f {id} {file} {name} {{", "under": "all", "ends": "}", "lines": [{"says": "m {memory}"}]}
    profile = one_form(tmp_path, "it.lines", {"at": "all", "named_by": "id"}, lines=[block])
    for text, says in {
        "# x\nf f h.py f {\nm 3\n": "it.lines:2:1.*never ends",
        f"# x\nf {'f' * 5000} h.py f {{\n}}\n": "it.lines:2.*5,011 characters",
        "f f h.py f {\nm 1\n": "never ends",
    }.items():
        (tmp_path / "it.lines").write_text(text)
        with pytest.raises(BadInput, match=says):
            read_project(tmp_path, profile)
    rows = [{"at": "file", "is": "entry", "as": "script_entry"}]
    made = Declared("x", functions=(Function("f", Entry("h y.py", "f"), ()),))
    written = write_definition(made, profile)["it.lines"]
    assert written == 'f f "h y.py" f {\n}\n'
    lines = [{"says": "{id} {file} {name}", "under": "all"}, {"says": "f {id} {file}[ {name}]", "under": "all"}]
    profile = one_form(tmp_path, "it.lines", {"at": "all", "named_by": "id", "rows": rows}, lines=lines)
    with pytest.raises(BadInput, match=r"the line `f f .*`.*would be read by `.id. .file. .name.`"):
        write_definition(made, profile)


LARKPATH = ROOT / "tests" / "profiles" / "larkpath-1.yaml"
#: file, and its text: the second value of SETTINGS only running it would tell, and nobody knows the third
PLACED = {
    "python": (
        "ways/hives/[hive]/scale.py",
        "SETTINGS = {'seconds': 7, 'given': ALL, 'odd': 1}\n\n\ndef get(ask): ...\n",
    ),
    "javascript": (
        "ways/hives/[hive]/scale.mjs",
        "export const SETTINGS = {seconds: 7, given: ALL,\n'odd': 1};\nexport function get(ask) {}\n",
    ),
}


@pytest.mark.parametrize("language", PLACED)
def test_functions_are_told_by_where_their_files_lie(tmp_path: Path, language: str) -> None:
    file, text = PLACED[language]
    profile = find_profile(str(LARKPATH))
    put(tmp_path, {file: text, "ways/hives/notes.txt": "", "elsewhere/scale.py": "def get(ask): ...\n"})
    _, read = read_project(tmp_path, profile)  # without a file of its own
    (only,) = read.functions
    assert (only.name, only.entry, only.timeout) == ("hives_hive_scale_get", Entry(file, "get"), 7)
    assert [(one.route, one.methods) for one in only.routes] == [("/hives/{hive}/scale", ("GET",))]
    assert read.files == ()
    line = 1 if language == "python" else 2
    assert sorted((one.code, one.place.file, one.place.line) for one in read.findings) == [
        ("computed-declaration", file, 1),
        ("unknown-key", file, line),
    ]
    # Written, a file passes on what stands elsewhere; read again, it is none of the project's.
    suffix = Path(file).suffix
    code = replace(only, entry=Entry(f"lib/code{suffix}", "scale"))
    other = replace(code, entry=Entry(f"lib/code{suffix}", "put"), triggers=(RouteTrigger("/hives", methods=("PUT",)),))
    made = write_definition(Declared("x", functions=(code, other)), profile)
    assert set(made) == {"larkpath.toml", f"ways/hives/[hive]/scale{suffix if suffix == '.py' else '.mjs'}"} | {
        f"ways/hives/index{suffix}"
    }
    (tmp_path / "there").mkdir()
    defined = "def {0}(ask): ...\n" if suffix == ".py" else "export function {0}(ask) {{}}\n"
    put(tmp_path / "there", {**made, f"lib/code{suffix}": "".join(map(defined.format, ("scale", "put")))})
    _, again = read_project(tmp_path / "there", profile)
    assert not again.findings
    assert {one.entry: (one.timeout, one.routes[0].route) for one in again.functions} == {
        code.entry: (7, "/hives/{hive}/scale"),
        other.entry: (7, "/hives"),
    }
    assert set(again.files) == set(made)
    # One file can't say two things at once, and what no path can say is told.
    late = replace(code, triggers=(RouteTrigger("/hives/{hive}/scale", methods=("PUT",)),), timeout=9)
    with pytest.raises(BadInput, match="would have to say different things of get, put"):
        write_definition(Declared("x", functions=(code, late)), profile)
    odd = replace(code, triggers=(RouteTrigger("/hives", methods=("DELETE",)),))
    assert [one.reason for one in fit_function(odd, profile)[1]] == [
        "no file there can say it by its path (7, hives, delete)"
    ]
    with pytest.raises(BadInput, match=r"no file lies where Larkpath 1 looks.*ways/\{way\.\.\.\} with get or head"):
        read_project(put(tmp_path / "none", {"larkpath.toml": "project = 'x'\n"}), profile)


def test_what_a_function_is_known_by_holds_no_signs() -> None:
    assert known_by("{way}_{does}", {"way": "hives/[hive]", "does": "get"}, several=True) == "hives_hive_get"


def test_functions_stand_in_one_kind_of_place(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="there is no `at`"):
        one_form(
            tmp_path, "it.yaml", {"at": "all", "triggers_at": "", "by_path": [{"files": "a/{b}", "handlers": ["c"]}]}
        )


BY_METHOD = {
    "at": "ways",
    "function": "to",
    "keyed": ["x", "by"],
    "triggers": [{"kind": "http", "told_by": "x", "rows": [{"at": "x", "is": "route"}, {"at": "by", "is": "methods"}]}],
}


def test_methods_that_are_keys_stand_each_by_itself(tmp_path: Path) -> None:
    """As a path has its operations in OpenAPI; any method is one of those that are usual, and that is told."""
    profile = one_form(tmp_path, "it.json", {"at": "all", "elsewhere": [BY_METHOD]})
    routes = (RouteTrigger("/a", ("GET", "PUT"), ""), RouteTrigger("/b", (), ""))
    written = json.loads(
        write_definition(Declared("p", functions=(Function("f", Entry("h.py", "f"), routes),)), profile)["it.json"]
    )
    assert {way: list(held) for way, held in written["ways"].items()} == {
        "/a": ["GET", "PUT"],
        "/b": ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"],
    }
    assert any("a method is declared at a time" in one.reason for one in fit_trigger(routes[1], profile).unheld)


@pytest.mark.parametrize(
    ("rows", "more", "says"),
    [
        (
            [{"at": "x", "is": "route"}, {"at": "who", "is": "callers", "as": "choice(all=publik)"}],
            {},
            "'publik' can't be",
        ),
        (
            [{"at": "x", "is": "route"}, {"at": "who", "is": "callers", "words": {"all": "any"}}],
            {},
            "'any' can't be what",
        ),
        ([{"at": "x", "is": "route"}], {"fixed": {"callers": "all"}}, "'all' can't be what callers"),
    ],
)
def test_words_that_are_none_of_the_hubs_are_refused(
    tmp_path: Path, rows: list[dict[str, Any]], more: dict[str, Any], says: str
) -> None:
    trigger = {"kind": "http", "told_by": "x", "rows": rows, **more}
    profile = one_form(tmp_path, "it.json", {"at": "all", "triggers": [trigger]})
    with pytest.raises(BadInput, match=re.escape(says)):
        write_definition(Declared("p"), profile)
    plain = {"kind": "http", "told_by": "x", "rows": [{"at": "x", "is": "route"}, {"at": "who", "is": "callers"}]}
    profile = one_form(tmp_path, "it.json", {"at": "all", "triggers": [plain]})
    (tmp_path / "it.json").write_text(json.dumps({"all": {"f": {**OWN, "when": [{"x": "/a", "who": "all"}]}}}))
    with pytest.raises(BadInput, match="expected one of public, key, principal"):
        read_project(tmp_path, profile)


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ({"is": "memory", "as": "quoted"}, "lens quoted is for text, and memory holds integer"),
        ({"is": "schedule", "as": "schedule(cronn)"}, "no spelling of schedules 'cronn' (did you mean 'cron'?)"),
        ({"is": "timeout", "as": "span(week)"}, "'week' is no unit of time"),
        ({"is": "a {memory} b {timeout}"}, "has to have {memory} once, and no other field"),
        ({"at": "a", "is": "entry", "as": "methods(upper)"}, "'upper' sets no methods apart"),
        ({"at": "a", "is": "entry", "as": "method(upper)"}, "it takes nothing, or lower"),
        ({"at": ["a", "b"], "is": "entry", "as": "file_entry('#')"}, "begins its `as` with the text that they make"),
        ({"at": ["a", "b"], "is": "entry", "as": "'{}' | file_entry('#')"}, "{} for each of the 2 keys"),
        ({"is": "source", "as": "base64 | nope"}, "there is no form 'base64 | nope'"),
        ({"is": "timeout", "as": "duration", "words": {"a": 1}}, "takes no words"),
        ({"is": "secrets", "as": "after(due, ms)"}, "lens after(due, ms) is for text"),
        ({"is": "filter", "as": "key_filter(glo)"}, "takes one of glob, shell_glob"),
        ({"is": "filter", "as": "any_filter(of)"}, "takes one of begins, ends, glob"),
        ({"is": "access", "as": "access(' ', see=object_reed)"}, "'object_reed' to be allowed (did you mean"),
        ({"is": "access", "as": "access_in_words", "words": {"see {name}": "object_look"}}, "nothing 'object_look'"),
        ({"is": "access", "as": "access_in_words", "words": {"see": "object_read"}}, "says once what it is of"),
        (
            {"is": "access", "as": "access_in_words", "words": {"{name}{name}": "object_read"}},
            "says once what it is of",
        ),
        ({"is": "access", "as": "access_in_words", "words": {"s] {name}": "object_read"}}, "without its other one"),
        ({"is": "access", "as": "access_in_words", "words": {"[a[b]] {name}": "object_read"}}, "without its other one"),
    ],
)
def test_rows_of_definitions_that_can_not_stand_are_refused(row: dict[str, Any], says: str) -> None:
    with pytest.raises(FormSyntax, match=re.escape(says)):
        parse_form(one_row(row), route_style(OSTERMERE))


@pytest.mark.parametrize(("name", "said", "hub"), FORM_CASES)
def test_forms_of_triggers_are_read_and_written(name: str, said: Any, hub: Any) -> None:
    field = {"any_ends": "key_filter", "days_at": "schedule"}.get(name.partition("(")[0], "source")
    row = DefinitionRow.model_validate({"at": "x", "is": field, "as": name})
    form = parse_form(row, route_style(OSTERMERE))
    if hub is None:
        with pytest.raises(FormError, match="expected"):
            form.read(said, "source")
        return
    if name.startswith("apart"):
        assert (form.read(said, "methods"), form.write(tuple(hub))) == (tuple(hub), said)
        return
    assert form.read(said, "source") == hub
    assert form.write(hub) == said


@pytest.mark.parametrize(
    ("text", "says", "line"),
    [
        ('{"service": "a",\n "functions": {', "is not JSON", 2),
        ('{"service": "a",\n "service": "b"}', "has the key 'service' twice", 2),
        ('{"functions": {\n "f": {"module": "h.py:f", "on": [{"patern": "/a"}]}}}', "did you mean 'pattern'", 2),
        ('{"functions": {"f": {"module": "h.py:f",\n "on": [{"pattern": "a"}]}}}', "begins with a slash", 2),
        ("[" * 100_000, "can't be read", 1),
    ],
)
def test_json_definitions_that_can_not_stand_are_told_by_their_line(
    project: Project, text: str, says: str, line: int
) -> None:
    with pytest.raises(BadInput) as error:
        read_project(project({"brackendale.json": text}))
    assert says in str(error.value)
    assert error.value.place.line == line


JOB = "jobs:\n  {0}: {{code: h.py#f, when: [{{web: GET /{0}}}]}}\n"
INCLUDES: list[tuple[dict[str, str], str]] = [
    (
        {"ostermere.yaml": "app: a\nalso: [ostermere.yaml]\n"},
        "ostermere.yaml:2:8: ostermere.yaml lists this file again",
    ),
    (
        {
            "ostermere.yaml": "app: a\nalso: [more/a.yaml]\n",
            "more/a.yaml": "also: [b.yaml]\n",
            "more/b.yaml": "also: [a.yaml]",
        },
        "more/b.yaml:1:8: a.yaml lists this file again: they go round in a circle",
    ),
    ({"ostermere.yaml": "app: a\nalso: [../b.yaml]\n"}, "leads out of the project"),
    ({"ostermere.yaml": "app: a\nalso: [b.yaml]\n"}, "ostermere.yaml:2:8: there is no file b.yaml"),
    ({"ostermere.yaml": "app: a\nalso: b.yaml\n"}, "also is no list of files"),
    ({"ostermere.yaml": "app: a\nalso: [b.yaml, ./b.yaml]\n", "b.yaml": JOB.format("b")}, "./b.yaml is listed twice"),
    (
        {"ostermere.yaml": "app: a\nalso: [b.yaml]\n" + JOB.format("f"), "b.yaml": JOB.format("f")},
        "b.yaml:2:3: two functions are called f (the other stands in ostermere.yaml:4:3)",
    ),
    ({"ostermere.yaml": "app: a\nalso: [b.yaml]\n", "b.yaml": "jobs: {}\n"}, "no functions stand under jobs"),
]


@pytest.mark.parametrize(("files", "says"), INCLUDES)
def test_files_that_list_others_in_ways_that_can_not_be(project: Project, files: dict[str, str], says: str) -> None:
    folder = project({"h.py": "def f(event, ctx):\n    return {}\n", **files})
    with pytest.raises(BadInput) as raised:
        read_project(folder, find_profile("ostermere@2"))
    assert says in str(raised.value)


def test_functions_stand_in_the_files_that_are_listed(project: Project, tmp_path: Path) -> None:
    files = {
        "ostermere.yaml": "app: a\nalso: [more/a.yaml]\n" + JOB.format("f"),
        "more/a.yaml": "also: [b.yaml]\ncolour: red\n" + JOB.format("g"),
        "more/b.yaml": JOB.format("h").replace("GET", "FETCH THE"),
        "h.py": "def f(event, ctx):\n    return {'code': 204}\n",
    }
    with pytest.raises(BadInput, match=re.escape("more/b.yaml:2:")):
        read_project(project(files), find_profile("ostermere@2"))
    files["more/b.yaml"] = JOB.format("h")
    folder = project(files)
    _, read = read_project(folder, find_profile("ostermere@2"))
    assert [(one.name, str(one.place)) for one in read.functions] == [
        ("f", "ostermere.yaml:4:3"),
        ("g", "more/a.yaml:4:3"),
        ("h", "more/b.yaml:2:3"),
    ]
    assert [(one.code, str(one.place)) for one in read.findings] == [("unknown-key", "more/a.yaml:2:1")]
    crossing = carry(folder, to="thornwick", out=tmp_path / "there", source="ostermere@2")
    assert not [path for path in crossing.files if path.endswith(".yaml")]
    assert len(crossing.record.functions) == 3


LISTED = """
app: mill
usual: {python: '3.12', seconds: 30s, env: [{k: UNIT, v: kg}]}
desks:
  - name: show
    call: h.py show
    seconds: 2500ms
    env: [{k: UNIT, v: lb}, {k: SCALE_KEY, vault: scale-key}]
    woken: [{visit: 'GET /looms/<loom>'}]
  - {name: take, call: h.py take, woken: [{lane: orders, most: 10}]}
"""


def test_functions_may_be_a_list_with_what_holds_for_each(tmp_path: Path) -> None:
    """Read, and written back to the same."""
    text = (ROOT / "examples" / "mossgate" / "mossgate-1.yaml").read_text().replace("evidence: mossgate\n", "")
    text = text.replace("    at: desks\n", "    at: desks\n    named_by: name\n    usual: usual\n")
    text = text.replace("{at: seconds, is: timeout}", "{at: seconds, is: timeout, as: duration}")
    rows = ["variables, as: \"entries('k', 'v')\"}", "secrets, as: \"entries('k', 'vault')\"}"]
    secrets = "\n      - ".join(f"{{at: env, is: {row}" for row in rows)
    text = text.replace("{at: env, is: variables}", secrets)
    (tmp_path / "own.yaml").write_text(text)
    own = find_profile(str(tmp_path / "own.yaml"))
    (tmp_path / "mossgate.yaml").write_text(LISTED)
    (tmp_path / "h.py").write_text("def show(event, desk): ...\n\n\ndef take(event, desk): ...\n")
    _, project = read_project(tmp_path, own)
    show, take = project.functions
    assert (show.name, show.timeout, dict(show.variables), dict(show.secrets), show.language) == (
        "show", 2.5, {"UNIT": "lb"}, {"SCALE_KEY": "scale-key"}, "3.12",
    )  # fmt: skip
    assert (take.timeout, dict(take.variables), take.language) == (30, {"UNIT": "kg"}, "3.12")
    (again,) = write_definition(project, own).values()
    (tmp_path / "mossgate.yaml").write_text(again)
    assert [f.name for f in read_project(tmp_path, own)[1].functions] == ["show", "take"]
    assert "- name: show" in again
    for before, after, says in [
        ("  - name: show\n    call", "  - call", "function 1 has no name"),
        ("- {name: take,", "- {name: show,", "two functions are called show"),
        ("2500ms", "2500 lightyears", "expected a span of time"),
        ("{k: UNIT, v: lb}", "UNIT", "expected a list of entries"),
        ("desks:\n", "desks: {}\nmore:\n", "desks is not a list"),
    ]:
        (tmp_path / "mossgate.yaml").write_text(LISTED.replace(before, after))
        with pytest.raises(BadInput, match=says):
            read_project(tmp_path, own)
