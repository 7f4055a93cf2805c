"""What each handler reads of its event, answers and calls, with lines: the flow of the code, told for a person."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

from vast_ferry.hub.fields import EVENTS
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.tables import ReplyForm
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.operations import LookUp, ServiceCall, field_of
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.gathered import taking_events
from vast_ferry.translate.python.native import reached_by

Lines = dict[str, dict[str, None]]  # what → places, each once, in order


@dataclass(frozen=True, slots=True)
class Reading:
    """What one handler reads, answers and calls: each with the places where it does, as `file:line`."""

    reads: Lines = field(default_factory=dict)
    answers: Lines = field(default_factory=dict)
    calls: Lines = field(default_factory=dict)

    def as_data(self) -> dict[str, dict[str, list[str]]]:
        """Return plain data."""
        return {
            name: {what: list(places) for what, places in sorted(lines.items())}
            for name, lines in (("fields", self.reads), ("answers", self.answers), ("calls", self.calls))
        }


def readings(profile: Profile, functions: Iterable[Declared], files: Mapping[str, bytes]) -> dict[str, Reading]:
    """Return what each function's handler reads, answers and calls; nothing for one that can't be followed."""
    made: dict[str, Reading] = {}
    there, left = taking_events(profile, functions, files)
    followed = [one for one in there.functions if one.name not in left]
    for name, flow, reached in reached_by(profile, followed, {**files, **there.files}):
        reading = made[name] = Reading()
        for function in reached:
            at = function.module.file
            for node in sorted(function.ops, key=lambda one: flow.lines.get(one, 0)):
                place = f"{at}:{there.line(at, flow.lines.get(node, 0), files)}"
                op = flow.ops.get(node)
                if isinstance(op, ServiceCall):
                    reading.calls.setdefault(op.client.called, {})[place] = None
                    continue
                if op is not None and (field := field_of(op)) and node not in flow.consumed:
                    what = f"{field}[{_known(op.key)}]" if isinstance(op, LookUp) else field
                    reading.reads.setdefault(what, {})[place] = None
                    continue
                spot = flow.values.get(node)
                if isinstance(spot, Spot) and node not in flow.consumed:
                    row = flow.shape(spot).row(spot.role, spot.steps)
                    if row is not None:
                        # A text of several fields, or a part of one, is none of the hub's: it goes by its place.
                        hub = row.field in EVENTS[flow.shape(spot).shape.kind]
                        reading.reads.setdefault(row.field if hub else str(row.at), {})[place] = None
            _answers(profile, function, reading, lambda line, at=at: there.line(at, line, files))  # type: ignore[misc]
    return made


def _known(key: ast.expr) -> str:
    return str(key.value) if isinstance(key, ast.Constant) else "?"


def _answers(profile: Profile, function: Function, reading: Reading, own: Callable[[int], int]) -> None:
    """Note the statuses that a function answers with, as far as they stand in it."""
    forms = profile.http_reply.forms if profile.http_reply is not None else ()
    for node in function.nodes.all:
        for form in forms:
            status = _status(node, form, profile) or _set(node, form, profile, function)
            if status is not None:
                place = f"{function.module.file}:{own(node.lineno)}"  # type: ignore[attr-defined]
                reading.answers.setdefault(status, {})[place] = None


def _status(node: ast.AST, form: ReplyForm, profile: Profile) -> str | None:
    row = next((row for row in form.rows if row.field == "status" and row.at.steps), None)
    if row is None:
        return None
    step = row.at.steps[-1]
    if isinstance(node, ast.Dict) and form.when == "mapping" and isinstance(step, Item):
        for key, value in zip(node.keys, node.values, strict=True):
            if isinstance(key, ast.Constant) and key.value == step.key:
                return str(value.value) if isinstance(value, ast.Constant) else "?"
    if isinstance(node, ast.Call) and form.when == "object" and isinstance(step, Attr):
        called = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        if called != form.short_name:
            return None
        module = form.class_name.rpartition(".")[0]
        names = [name.partition("=")[0] for name in profile.model.modules[module][form.short_name].takes]
        given = dict(zip(names, node.args, strict=False)) | {k.arg: k.value for k in node.keywords if k.arg}
        said = given.get(step.name)
        if said is None and _setters(form, profile, step.name):
            return None  # a method may say it
        return "200" if said is None else str(said.value) if isinstance(said, ast.Constant) else "?"
    return None


def _set(node: ast.AST, form: ReplyForm, profile: Profile, function: Function) -> str | None:
    """Return the status that a method of an answer sets, as far as it stands there."""
    row = next((row for row in form.rows if row.field == "status" and row.at.steps), None)
    step = row.at.steps[-1] if row is not None else None
    if not isinstance(step, Attr) or not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
        return None
    if node.func.attr not in _setters(form, profile, step.name) or len(node.args) != 1:
        return None
    own = form.short_name
    held = {
        target.id
        for one in function.nodes.all
        if isinstance(one, ast.Assign) and _begins(one.value) == own
        for target in one.targets
        if isinstance(target, ast.Name)
    }
    if _begins(node.func.value) not in {own, *held}:
        return None
    return str(node.args[0].value) if isinstance(node.args[0], ast.Constant) else "?"


def _setters(form: ReplyForm, profile: Profile, attribute: str) -> list[str]:
    """Return the methods of an answer's class that set an attribute."""
    module = form.class_name.rpartition(".")[0]
    model = profile.model.modules.get(module, {}).get(form.short_name)
    return [method for method, one in model.sets.items() if one == attribute] if model is not None else []


def _begins(node: ast.expr) -> str:
    """Return the name with which a chain of calls and attributes begins."""
    while isinstance(node, (ast.Call, ast.Attribute)):
        node = node.func if isinstance(node, ast.Call) else node.value
    return node.id if isinstance(node, ast.Name) else ""
