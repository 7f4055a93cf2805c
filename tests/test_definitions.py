"""Definition files both ways: one table of cases drives reading, writing, and the refusals with file and line."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from conftest import Project
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry import BadInput
from vast_ferry.definitions.forms import FormError
from vast_ferry.definitions.project import read_project, unheld_fields, write_definition
from vast_ferry.definitions.tables import parse_form
from vast_ferry.documents.toml_file import read_toml
from vast_ferry.documents.yaml_file import parse_yaml
from vast_ferry.hub.findings import Place, Severity
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.hub.functions import Project as Declared
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import find_profile
from vast_ferry.providers.schema import DefinitionRow

OSTERMERE, THORNWICK = find_profile("ostermere@1"), find_profile("thornwick@1")
BRACKENDALE = find_profile("brackendale@1")

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


NAMES = st.from_regex(r"[a-z][a-z0-9_]{0,8}", fullmatch=True)
TEXTS = st.text(
    st.characters(exclude_categories=["Cc", "Cs"], exclude_characters="\u2028\u2029\ufeff\x85"), max_size=10
)
FUNCTIONS = st.builds(
    Function,
    name=NAMES,
    entry=st.builds(Entry, NAMES.map(lambda name: f"handlers/{name}.py"), NAMES),
    triggers=st.builds(
        lambda route, methods, callers: (RouteTrigger(route, tuple(methods), callers),),
        st.sampled_from([route for route, _, _ in ROUTES]),
        st.lists(st.sampled_from(["GET", "POST", "PUT", "M-SEARCH"]), unique=True, max_size=2),
        st.sampled_from(["", "public", "key", "principal"]),
    ),
    language=st.sampled_from(["", "3.11"]),
    memory=st.sampled_from([0, 128, 256]),
    timeout=st.sampled_from([0, 30, 2.5]),
    variables=st.dictionaries(NAMES.map(str.upper), TEXTS, max_size=3),
    secrets=st.dictionaries(NAMES.map(str.upper), NAMES, max_size=2),
)


@pytest.mark.parametrize("profile", [OSTERMERE, THORNWICK, BRACKENDALE], ids=lambda profile: profile.name)
@given(functions=st.lists(FUNCTIONS, min_size=1, max_size=3, unique_by=(lambda f: f.name, lambda f: f.routes[0].route)))
def test_read_undoes_write(
    tmp_path_factory: pytest.TempPathFactory, profile: object, functions: list[Function]
) -> None:
    chosen = next(one for one in (OSTERMERE, THORNWICK, BRACKENDALE) if one is profile)
    folder = tmp_path_factory.mktemp("written")
    made = Declared("apiary", "north", tuple(functions))
    for name, text in write_definition(made, chosen, ("a comment",)).items():
        (folder / name).write_text(text)
    read = read_project(folder, chosen)[1]
    bare = tuple(
        Function(
            one.name,
            one.entry,
            tuple(RouteTrigger(t.route, t.methods, t.callers) for t in one.routes),
            one.language,
            one.memory,
            one.timeout,
            one.variables,
            one.secrets,
        )
        for one in read.functions
    )
    assert (read.name, read.region, bare, read.findings) == ("apiary", "north", tuple(functions), ())


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
    (declare("GET /a-{b}"), "expected captures as whole segments, {hive} or {hive*}", 6),
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
        "      - clock: every 15 minutes\n      - clock: every 7 minutes\n"
    )
    found = read_project(project({"ostermere.yaml": text}))[1].findings
    assert [(f.code, str(f.severity), f.place.file, f.place.line) for f in found] == [
        ("unknown-key", "todo", "ostermere.yaml", 3),
        ("secret-value", "blocking", "ostermere.yaml", 9),
        ("not-carried", "todo", "ostermere.yaml", 7),
        ("unknown-key", "todo", "ostermere.yaml", 8),
        ("unknown-key", "todo", "ostermere.yaml", 12),
        ("schedule-not-carried", "blocking", "ostermere.yaml", 14),
    ]
    assert "did you mean 'callers'" in found[4].reason
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
    ("key_glob", "north/*.csv", {"prefix": "north/", "suffix": ".csv"}),
    ("key_glob", "*", {"prefix": "", "suffix": ""}),
    ("key_glob", "a[*]b[[]c*[?].x", {"prefix": "a*b[c", "suffix": "?.x"}),
    ("key_glob", "no star", None),
    ("key_glob", "a*b*", None),
    ("key_glob", "a?*", None),
    ("key_glob", "[ab]*", None),
    ("cron", "0 2 * * *", "0 2 * * *"),
    ("cron", "*/5 1-3 1,15 * MON", "*/5 1-3 1,15 * MON"),
    ("cron", "0 2 * *", None),
    ("cron", "@daily", None),
    ("cron", 5, None),
    ("cron_or_every", "0 2 * * *", "0 2 * * *"),
    ("choices(put=created, drop=deleted)", ["put", "drop"], ("created", "deleted")),
    ("choices(put=created, drop=deleted)", "put", None),
    ("choices(put=created, drop=deleted)", ["pot"], None),
]


@pytest.mark.parametrize(("name", "said", "hub"), FORM_CASES)
def test_forms_of_triggers_are_read_and_written(name: str, said: Any, hub: Any) -> None:
    row = DefinitionRow.model_validate({"at": "x", "is": "source", "as": name})
    form = parse_form(row, ("{name}", "{name*}"))
    if hub is None:
        with pytest.raises(FormError, match="expected"):
            form.read(said, "source")
        return
    assert form.read(said, "source") == hub
    assert form.write(hub) == said


@pytest.mark.parametrize(
    ("said", "cron"),
    [("every 15 minutes", "*/15 * * * *"), ("every 1 minute", "*/1 * * * *"), ("every 6 hours", "0 */6 * * *")],
)
def test_a_period_is_a_cron_line(said: str, cron: str) -> None:
    row = DefinitionRow.model_validate({"at": "x", "is": "cron", "as": "cron_or_every"})
    form = parse_form(row, ("{name}", "{name*}"))
    assert form.read(said, "cron") == cron
    for bad in ("every 7 minutes", "every 0 minutes", "every 5 hours", "every day"):
        with pytest.raises(FormError):
            form.read(bad, "cron")


EVENT_TRIGGERS = st.one_of(
    st.builds(
        EventTrigger,
        st.just("object"),
        NAMES,
        st.lists(st.sampled_from(["created", "deleted", "relabelled"]), unique=True, max_size=2).map(tuple),
        st.text("ab/*?[]. ", max_size=4),
    ),
    st.builds(EventTrigger, st.just("message"), NAMES),
    st.builds(
        EventTrigger,
        st.just("record"),
        NAMES,
        st.lists(st.sampled_from(["inserted", "updated", "deleted"]), unique=True, max_size=2).map(tuple),
    ),
    st.builds(EventTrigger, st.just("signal"), NAMES),
)


@pytest.mark.parametrize("profile", [OSTERMERE, THORNWICK, BRACKENDALE], ids=lambda profile: profile.name)
@given(triggers=st.lists(EVENT_TRIGGERS, min_size=1, max_size=3))
def test_read_undoes_write_for_events(
    tmp_path_factory: pytest.TempPathFactory, profile: Profile, triggers: list[EventTrigger]
) -> None:
    folder = tmp_path_factory.mktemp("written")
    made = Declared("apiary", "north", (Function("f", Entry("h.py", "f"), tuple(triggers)),))
    for name, text in write_definition(made, profile).items():
        (folder / name).write_text(text)
    (function,) = read_project(folder, profile)[1].functions
    assert [replace(t, place=Place()) for t in function.triggers if isinstance(t, EventTrigger)] == triggers
    assert all(unheld_fields(trigger, profile) == [] for trigger in triggers)


@pytest.mark.parametrize(
    ("text", "says", "line"),
    [
        ('{"service": "a",\n "functions": {', "is not JSON", 2),
        ('{"service": "a",\n "service": "b"}', "has the key 'service' twice", 2),
        ('{"functions": {\n "f": {"module": "h.py:f", "on": [{"patern": "/a"}]}}}', "did you mean 'pattern'", 2),
        ('{"functions": {"f": {"module": "h.py:f",\n "on": [{"pattern": "a"}]}}}', "begins with a slash", 2),
        ("[" * 100_000, "can't be read", 0),
    ],
)
def test_json_definitions_that_can_not_stand_are_told_by_their_line(
    project: Project, text: str, says: str, line: int
) -> None:
    with pytest.raises(BadInput) as error:
        read_project(project({"brackendale.json": text}))
    assert says in str(error.value)
    assert error.value.place.line == line
