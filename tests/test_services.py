"""Services that handlers hand on or keep in data classes: rewritten where they are only used, else as they were."""

from __future__ import annotations

import itertools
from pathlib import Path

import pytest
from conftest import Project, declaring, some
from test_unseen import carried

from vast_ferry import find_profile, survey
from vast_ferry.hub.functions import Entry, Function, RouteTrigger

HEAD = """import copy
import dataclasses
import functools
from dataclasses import dataclass, field
from typing import Any, ClassVar

from brackendale import Response

SEEN = []


"""
#: A data class, how the handler uses one, and whether that is rewritten.
CASES = {
    "plain": ("@dataclass\nclass Kept:\n    records: Any\n    key: dict\n", "Kept(services.records, KEY)", True),
    "by name": (
        "@dataclass\nclass Kept:\n    key: dict\n    records: Any\n",
        "Kept(records=services.records, key=KEY)",
        True,
    ),
    "all of them": (
        "@dataclass\nclass Kept:\n    services: Any\n    key: dict\n\n    @property\n    def records(self):\n"
        "        return self.services.records\n",
        "Kept(services, KEY)",
        False,
    ),
    "with usual values": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict = field(default_factory=dict)\n    tries: int = 3\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "by name only": (
        "@dataclass(kw_only=True)\nclass Kept:\n    tries: int = 3\n    records: Any\n    key: dict\n",
        "Kept(records=services.records, key=KEY)",
        True,
    ),
    "by name only from there": (
        "@dataclass\nclass Kept:\n    key: dict\n    _: dataclasses.KW_ONLY\n    records: Any\n",
        "Kept(KEY, records=services.records)",
        True,
    ),
    "a field that is not given": (
        "@dataclass\nclass Kept:\n    found: Any = field(init=False, default=None)\n    records: Any\n    key: dict\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "one of the class": (
        "@dataclass\nclass Kept:\n    many: ClassVar[int] = 3\n    records: Any\n    key: dict\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "frozen": (
        "@dataclass(frozen=True)\nclass Kept:\n    records: Any\n    key: dict\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "frozen, and found again": (
        "@dataclass(frozen=True)\nclass Kept:\n    records: Any\n    key: Any\n\n\n"
        "@functools.lru_cache\ndef once(kept):\n    return kept\n",
        "once(Kept(services.records, HIVE))",
        False,
    ),
    "frozen, and put among others": (
        "@dataclass(frozen=True)\nclass Kept:\n    records: Any\n    key: Any\n\n"
        "    def __post_init__(self):\n        {self: 1}\n",
        "Kept(services.records, HIVE)",
        False,
    ),
    "frozen, and put there later": (
        "@dataclass(frozen=True)\nclass Kept:\n    records: Any\n    key: Any\n\n"
        "    def __post_init__(self):\n        among = {}\n        among[self] = 1\n",
        "Kept(services.records, HIVE)",
        False,
    ),
    "inherited": (
        "@dataclass\nclass Base:\n    records: Any\n\n\n@dataclass\nclass Kept(Base):\n    key: dict\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "said again below": (
        "@dataclass\nclass Base:\n    records: Any\n    key: Any = None\n\n\n"
        "@dataclass\nclass Kept(Base):\n    key: dict = None\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "inherited without more": (
        "@dataclass\nclass Base:\n    records: Any\n    key: dict\n\n\nclass Kept(Base):\n    pass\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "set up by itself": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n\n"
        "    def __init__(self, key, records):\n        self.key, self.records = key, records\n",
        "Kept(KEY, services.records)",
        True,
    ),
    "with more behind it": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n\n"
        "    def __post_init__(self):\n        self.key = dict(self.key)\n",
        "Kept(services.records, KEY)",
        True,
    ),
    "swapped behind it": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: Any\n\n"
        "    def __post_init__(self):\n        self.records, self.key = self.key, self.records\n",
        "Kept(KEY, services.records)",
        False,
    ),
    "only to set it up": (
        "@dataclass\nclass Kept:\n    given: dataclasses.InitVar[Any]\n    key: dict\n    records: Any = None\n\n"
        "    def __post_init__(self, given):\n        self.records = given\n",
        "Kept(services.records, KEY)",
        False,
    ),
    "changed in a copy": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "dataclasses.replace(Kept(services.records, {}), key=KEY)",
        False,
    ),
    "made by whoever": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "[make(services.records, KEY) for make in (Kept, Kept)][0]",
        False,
    ),
    "made by its class": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n\n"
        "    @classmethod\n    def of(cls, services):\n        return cls(services.records, KEY)\n",
        "Kept.of(services)",
        True,
    ),
    "from a list": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "Kept(*[services.records, KEY])",
        False,
    ),
    "of either": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n\n\nclass None_:\n"
        "    async def get(self, *more):\n        return {'none': 1}\n",
        "Kept(services.records if KEY else None_(), KEY)",
        False,
    ),
    "another one as well": (
        "class Other:\n    async def get(self, *more):\n        return {'none': 1}\n\n\n"
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "[Kept(Other(), {}), Kept(services.records, KEY)][1]",
        False,
    ),
    "compared": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "one if (one := Kept(services.records, KEY)) == Kept(services.records, {}) else Kept(services.records, KEY)",
        False,
    ),
    "kept for all": (
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "(SEEN.append(Kept(services.records, KEY)), SEEN[-1])[1]",
        False,
    ),
    "an error": (
        "@dataclass\nclass Kept(Exception):\n    records: Any\n    key: dict\n",
        "Kept(services.records, KEY)",
        False,
    ),
    "by another of that name": (
        "def dataclass(cls):\n    cls.__init__ = lambda self, key, records: "
        "self.__dict__.update(key=key, records=records)\n    return cls\n\n\n"
        "@dataclass\nclass Kept:\n    records: Any\n    key: dict\n",
        "Kept(KEY, services.records)",
        False,
    ),
}
HANDLER = """

HIVE = "h-7"
KEY = {"hive": HIVE}


async def a(request, services):
    await services.records.put("hives", KEY, {"colour": "blue"})
    kept = %s
    row = await kept.records.get("hives", kept.key if isinstance(kept.key, dict) else KEY)
    return Response(str(row["colour"] if row else type(kept).__name__), 200, [("x-key", str(kept.key))])
"""


@pytest.mark.parametrize(
    ("name", "to"), some(zip(CASES, itertools.cycle(["thornwick", "asgi", "cgi", "ostermere@1"])), 9)
)
def test_a_data_class_keeps_what_it_is_given(project: Project, tmp_path: Path, name: str, to: str) -> None:
    code, made, native = CASES[name]
    came = carried(project, tmp_path / "out", {"a": f"{HEAD}{code}{HANDLER % made}"}, {}, to, "brackendale")
    assert native is not any(code.startswith("wrapped") for code in came["a"])


#: What a helper takes, and what it is handed: what the target has elsewhere goes, wherever it stands.
TAKEN = [
    ("records, messages", "services.records, services.messages"),
    ("records, messages, n", "services.records, services.messages, 1"),
    ("m, records, messages, n", "0, services.records, services.messages, 1"),
    ("m, records, messages", "0, services.records, services.messages"),
    ("records, m, messages", "services.records, 0, services.messages"),
    ("*, records, messages", "records=services.records, messages=services.messages"),
    ("m, *, records, messages, n", "0, records=services.records, n=1, messages=services.messages"),
    ("records, *, messages", "services.records, messages=services.messages"),
    ("records, n, *, messages", "services.records, 3, messages=services.messages"),
    ("\n    records: Any,\n    messages: Any,\n", "services.records,\n        services.messages,\n    "),
    ("records, messages, *more", "services.records, services.messages, 1, 2"),
    ("records, /, messages, **more", "services.records, services.messages, a=1"),
]
HANDING_ON = """

KEY = {"hive": "h-7"}


async def f(%s):
    await messages.send("told", "all")
    return await records.get("hives", KEY)


async def a(request, services):
    return Response(str(await f(%s)), 200)
"""


@pytest.mark.parametrize("to", some(["thornwick", "asgi", "cgi"], 3))
def test_services_that_a_helper_is_handed_go_wherever_they_stand(project: Project, tmp_path: Path, to: str) -> None:
    codes = {f"h{at}": f"{HEAD}{HANDING_ON % case}" for at, case in enumerate(TAKEN)}
    came = carried(project, tmp_path / "out", codes, {}, to, "brackendale")
    assert not [at for at, found in came.items() if any(code.startswith("wrapped") for code in found)]


def reaching_services() -> dict[str, tuple[str, str]]:
    """Return ways in which handlers reach services: what stands at the top of the file, and what is answered."""
    text = (Path(__file__).parent / "projects" / "small_services.txt").read_text(encoding="utf-8")
    sections = [one.partition("\n") for one in text.split("#### ")[1:]]
    return {head.partition(" | ")[0]: (top, head.partition(" | ")[2]) for head, _, top in sections}


REACHED = reaching_services()


@pytest.mark.parametrize(("name", "to"), some(zip(REACHED, itertools.cycle(["asgi", "thornwick", "ostermere@1"])), 7))
def test_however_a_service_is_reached_it_does_the_same(project: Project, tmp_path: Path, name: str, to: str) -> None:
    top, answer = REACHED[name]
    code = f"{HEAD}KEY = {{'hive': 'h-7'}}\n{top}\n\nasync def a(request, services):\n"
    code += "    await services.records.put('hives', KEY, {'colour': 'blue'})\n"
    carried(project, tmp_path / "out", {"a": f"{code}    return Response(repr({answer}))\n"}, {}, to, "brackendale")


#: Ways in which a service is reached at a provider that hands its services over, in two languages.
SEEN = {
    "h.py": [
        "async def a(request, services):\n    await services.records.get('hives', {})\n",
        "async def a(request, given):\n    await given.records.get('hives', {})\n",
        "async def a(request, services):\n    records = services.records\n    await records.get('hives', {})\n",
        "async def read(records):\n    await records.get('hives', {})\n\n\n"
        "async def a(request, services):\n    await read(services.records)\n",
        "class Kept:\n    def __init__(self, services):\n        self.services = services\n\n"
        "    async def read(self):\n        await self.services.records.get('hives', {})\n\n\n"
        "async def a(request, services):\n    await Kept(services).read()\n",
    ],
    "h.mjs": [
        "export async function a(request, services) { await services.records.get('hives', {}); }\n",
        "export async function a(request, given) { await given.records.get('hives', {}); }\n",
        "export async function a(request, { records }) { await records.get('hives', {}); }\n",
        "export const a = async (request, services) => {\n"
        "  const { records } = services;\n  await records.get('hives', {});\n};\n",
        "class Kept { constructor(services) { this.services = services; }\n"
        "  async read() { await this.services.records.get('hives', {}); } }\n"
        "export const a = (request, services) => new Kept(services).read();\n",
    ],
}
NOT_SEEN = {
    "h.py": "import other as records\n\n\nasync def a(request, services):\n    await records.get('hives', {})\n",
    "h.mjs": "import { records } from './other.mjs';\nexport const a = () => records.get('hives', {});\n",
}


@pytest.mark.parametrize("file", SEEN)
def test_a_service_that_is_handed_over_is_seen_under_whatever_name(project: Project, file: str) -> None:
    source = find_profile("brackendale@1")
    for code in (*SEEN[file], NOT_SEEN[file]):
        one = Function("a", Entry(file, "a"), (RouteTrigger("/a", (), "public"),))
        files = {**declaring(source, one), file: code, "other.mjs": "", "other.py": ""}
        there = survey(project(files), source)
        seen = {(use.client.operation, use.name) for use in there.scanned.uses}
        assert seen == (set() if code == NOT_SEEN[file] else {("record.read", "hives")}), code
