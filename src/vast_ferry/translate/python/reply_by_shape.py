"""Answers that are told apart by what they hold: read where they stand there in full, whatever their form.

A provider may take a text, a number, a tuple, a mapping, an object or a raised error as an answer, and give a content
that names no type one by what it was given as. Which form an answer has is told as the provider tells it: the first
whose test it passes. What can't be told from the code (a value of an unknown type, header fields of unknown names) is
no answer in full, and is left to the emitted function that looks when it is there.
"""

from __future__ import annotations

import ast

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.lenses.forms import Content, ContentByKey, HeaderFields, ObjectOf, StatusSaid
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import ReplyForm, ReplyShape, Row
from vast_ferry.translate.python.reply_parts import Forms, Made


class Unknown(FerryError):
    """Something of an answer can't be told from the code."""


class ByShape(Forms):
    """Reads the answers of one function, at a provider that tells them apart by what they hold."""

    @property
    def _shape(self) -> ReplyShape:
        return self.job.source.kinds[self.at.kind].answered

    def made(self, node: ast.expr) -> Made | None:
        """Return the parts of an answer that stands there in full; nothing where it can't be told."""
        form = self._form_of(node)
        if form is None:
            return None
        return self._tried(form, node)

    def _tried(self, form: ReplyForm, node: ast.expr) -> Made | None:
        """Return the parts of an answer; where one can't be told, what was noted for the others is taken back."""
        take_back = self.at.noted()
        try:
            made = isinstance(node, ast.Call) and form.class_name
            return self._parts(form, self._arguments(node, form) if made else _places(node))  # type: ignore[arg-type]
        except Unknown:
            take_back()
            return None

    def raised(self, node: ast.Raise) -> Made | None:
        """Return the parts of an answer that is raised; nothing where what is raised is none."""
        form = self.raised_form(node)
        if form is None or not isinstance(node.exc, ast.Call):
            return None
        return self._tried(form, node.exc)

    def raised_form(self, node: ast.Raise) -> ReplyForm | None:
        """Return in which form an answer is raised by a statement, if one is."""
        named = node.exc.func if isinstance(node.exc, ast.Call) else node.exc
        name = self.flow.standard_name(self.at.module, named) if named is not None else ""
        return next((form for form in self._source if form.when == "raised" and name and form.class_name == name), None)

    # --- which form ---

    def _form_of(self, node: ast.expr) -> ReplyForm | None:
        """Return the first form whose test an expression passes; nothing where one before it might pass."""
        if isinstance(node, ast.Call) and (name := self.flow.standard_name(self.at.module, node.func)):
            return next((form for form in self._source if form.when == "object" and form.class_name == name), None)
        for form in self._source:
            passes = self._passes(form, node)
            if passes is None:
                return None
            if passes:
                return form
        return None

    def _passes(self, form: ReplyForm, node: ast.expr) -> bool | None:
        """Tell whether an expression passes the test of a form; None where that can't be told."""
        kind = "tuple" if isinstance(node, ast.Tuple) else self._type(node)
        if form.when in ("raised", "pieces", "object") and (kind or form.when != "object"):
            return False
        if not kind:
            return None
        if form.nothing_at is not None:
            return self._has_nothing(form, node, kind)
        if form.when == "mapping":
            if kind != "dict" or not form.keys:
                return kind == "dict"
            keys = _keys(node)
            return keys <= set(form.keys) if keys is not None else None
        tests = {"nothing": "NoneType", "text": "str", "bytes": "bytes", "number": "int", "list": "list"}
        if form.when == "data":
            return kind in ("dict", "list", "int", "float", "bool")
        return form.when == "always" or kind == tests.get(form.when, form.when)

    def _has_nothing(self, form: ReplyForm, node: ast.expr, kind: str) -> bool | None:
        """Tell whether nothing stands where a form wants nothing; None where that can't be told."""
        assert form.nothing_at is not None
        if kind != {"tuple": "tuple", "mapping": "dict"}.get(form.when, form.when):
            return False
        if not isinstance(node, (ast.Tuple, ast.Dict)) or len(form.nothing_at.steps) != 1:
            return None
        step = form.nothing_at.steps[0]
        held = _places(node).get(str(step.key)) if isinstance(step, Item) else node
        if held is None or not _is_there(held):
            return True
        return False if self._type(held) or isinstance(held, (ast.Dict, ast.List)) else None

    # --- its parts ---

    def _arguments(self, node: ast.Call, form: ReplyForm) -> dict[str, ast.expr]:
        """Return what an object is made of, by name; what is left out is not there."""
        module, _, name = form.class_name.rpartition(".")
        names = [one.partition("=")[0] for one in self.job.source.model.modules[module][name].takes]
        if len(node.args) > len(names) or any(isinstance(one, ast.Starred) for one in node.args):
            raise Unknown
        given: dict[str, ast.expr] = dict(zip(names, node.args, strict=False))
        for keyword in node.keywords:
            if keyword.arg is None or keyword.arg not in names:
                raise Unknown
            given[keyword.arg] = keyword.value
        return given

    def _parts(self, form: ReplyForm, places: dict[str, ast.expr]) -> Made:
        rows = {row.field: (row, _part(row, places)) for row in form.rows if not row.derived}
        if not rows.keys() <= {"status", "headers", "body"}:
            raise Unknown
        made = Made(empty_type="none")
        status = rows.get("status", (None, None))
        codes = self._status(made, form, *status)
        bodyless = [code in self._shape.bodyless for code in codes] or [False, bool(self._shape.bodyless)]
        if len(set(bodyless)) > 1:
            raise Unknown  # whether it has content is known only when it is there
        without = bodyless[0]
        if "headers" in rows:
            self._fields(made, *rows["headers"])
        for name, value in form.fixed.get("headers", ()):
            made.pairs.append((quoted(name), quoted(value), name))
        if without and _is_there(rows.get("body", (None, None))[1]):
            raise Unknown  # it is looked at all the same, and may be wrong
        kind = self._content(made, *rows["body"]) if "body" in rows and not without else ""
        if without:
            made.pairs = [pair for pair in made.pairs if pair[2].lower() != "content-type"]
        elif form.types.get(kind) and not any(known.lower() == "content-type" for _, _, known in made.pairs):
            typed = ('"content-type"', quoted(form.types[kind]), "content-type")
            made.pairs.insert(0 if form.type_first else len(made.pairs), typed)
        return made

    def _status(self, made: Made, form: ReplyForm, row: Row | None, value: ast.expr | None) -> list[int]:
        """Note the status, and return all that it may be; an empty list where that is not known."""
        if row is None or value is None or (isinstance(row.lens, StatusSaid) and not _is_there(value)):
            usual = form.fixed.get("status", 200)
            if row is not None and isinstance(row.lens, StatusSaid) and row.lens.args:
                usual = int(row.lens.args[0])
            made.status = str(usual)
            return [int(usual)]
        found = _numbers(value)
        made.status = self.at.code(value)
        if found or self._type(value) == "int":
            return found
        if isinstance(row.lens, StatusSaid) and isinstance(value, ast.Constant) and str(value.value).isdecimal():
            made.status = str(int(value.value))  # type: ignore[arg-type]
            return [int(made.status)]
        raise Unknown

    def _fields(self, made: Made, row: Row, value: ast.expr | None) -> None:
        if not isinstance(row.lens, HeaderFields) or row.lens.args:
            raise Unknown
        if value is None or not _is_there(value):
            return
        for name, inner, forgives in _fields_in(value):
            if _is_there(inner) or not forgives:
                self._field(made, name, inner, forgives=forgives)

    def _field(self, made: Made, name: ast.expr | None, value: ast.expr, *, forgives: bool) -> None:
        known = name.value if isinstance(name, ast.Constant) and isinstance(name.value, str) else ""
        if name is None or not known:
            raise Unknown  # it might be the content's type
        kind = self._type(value)
        if kind != "str" and not (forgives and kind in ("int", "float", "bool")):
            raise Unknown
        made.pairs.append((self.at.code(name), self._as_text(value, kind), known))

    def _as_text(self, value: ast.expr, kind: str) -> str:
        if kind == "str":
            return self.at.code(value)
        return quoted(str(value.value)) if isinstance(value, ast.Constant) else f"str({self.at.code(value)})"

    def _content(self, made: Made, row: Row, value: ast.expr | None) -> str:
        """Note the content, and return as what it is given: text, bytes or json; nothing for none."""
        if isinstance(row.lens, ObjectOf):
            return self._object_of(made, row.lens, value)
        if not isinstance(row.lens, Content):
            raise Unknown
        style = tuple(map(str, row.lens.args))
        if isinstance(row.lens, ContentByKey):
            return self._content_by_key(made, row.lens, value, style)
        if value is None or not _is_there(value):
            return ""
        kind = self._type(value)
        if kind == "str" and "empty_is_none" in style and not _never_empty(value):
            raise Unknown
        if kind in ("str", "bytes"):
            made.body, made.body_type = self.at.code(value), kind
            return "text" if kind == "str" else "bytes"
        if kind in ("dict", "list") and "no_json" not in style:
            return self._json(made, value, style)
        raise Unknown

    def _object_of(self, made: Made, lens: ObjectOf, value: ast.expr | None) -> str:
        """Note the content that the provider makes of what stands there, and of the event."""
        if value is None or self._type(value) != "str":
            raise Unknown
        held = {field: self.at.reads().hub(field) for field in lens.of_event}
        entries = []
        for key, field in lens.options:
            if field == "this":
                text = self.at.code(value)
            elif field == "status" or (code := held[str(field)]) is None:
                raise Unknown
            else:
                text = self.at.place(code, value, bare=True)
            entries.append(f"{quoted(str(key))}: {text}")
        self._dumped(made, f"{{{', '.join(entries)}}}", tuple(map(str, lens.args)))
        return "json"

    def _content_by_key(self, made: Made, lens: ContentByKey, value: ast.expr | None, style: tuple[str, ...]) -> str:
        keys = [(key, inner) for key, inner in _items(value) if key in dict(lens.options)]
        if not keys:
            return ""
        kind = str(dict(lens.options)[keys[0][0]])
        inner = keys[0][1]
        if len(keys) > 1:
            raise Unknown
        if kind == "json":
            return self._json(made, inner, style)
        if self._type(inner) != {"text": "str", "bytes": "bytes"}.get(kind):
            raise Unknown
        made.body, made.body_type = self.at.code(inner), self._type(inner)
        return kind

    def _json(self, made: Made, value: ast.expr, style: tuple[str, ...]) -> str:
        self._dumped(made, self.at.code(value), style)
        return "json"

    def _dumped(self, made: Made, text: str, style: tuple[str, ...]) -> None:
        told = [text]
        told += [] if "spaced" in style else ['separators=(",", ":")']
        told += ["sort_keys=True"] if "sorted" in style else []
        told += [] if "ascii" in style else ["ensure_ascii=False"]
        made.body, made.body_type = self.at.need(["import json"], f"json.dumps({', '.join(told)})"), "str"


def _fields_in(value: ast.expr) -> list[tuple[ast.expr | None, ast.expr, bool]]:
    """Return names and values of header fields in any usual form, and whether a value may be more than text."""
    if isinstance(value, ast.Dict):
        items = zip(value.keys, value.values, strict=True)
        return [(k, one, True) for k, of in items for one in (of.elts if isinstance(of, ast.List) else [of])]
    if not isinstance(value, (ast.List, ast.Tuple)):
        raise Unknown
    if all(isinstance(one, (ast.Tuple, ast.List)) and len(one.elts) == 2 for one in value.elts):
        return [(one.elts[0], one.elts[1], False) for one in value.elts if isinstance(one, (ast.Tuple, ast.List))]
    if len(value.elts) % 2 or not all(isinstance(one, (ast.Constant, ast.JoinedStr)) for one in value.elts[::2]):
        raise Unknown
    return [(name, one, False) for name, one in zip(value.elts[::2], value.elts[1::2], strict=True)]


def _keys(node: ast.expr) -> set[str] | None:
    """Return the keys of a mapping that stands there; nothing where they can't be told."""
    if not isinstance(node, ast.Dict):
        return None
    known = {key.value for key in node.keys if isinstance(key, ast.Constant)}
    return {str(key) for key in known} if len(known) == len(node.keys) else None


def _items(node: ast.expr | None) -> list[tuple[str, ast.expr]]:
    if not isinstance(node, ast.Dict):
        raise Unknown
    return [(str(getattr(key, "value", "")), value) for key, value in zip(node.keys, node.values, strict=True)]


def _places(node: ast.expr) -> dict[str, ast.expr]:
    """Return what an answer holds by place: the items of a tuple or mapping, and itself under an empty name."""
    places: dict[str, ast.expr] = {"": node}
    if isinstance(node, ast.Tuple):
        if any(isinstance(one, ast.Starred) for one in node.elts):
            raise Unknown
        places |= {str(at): one for at, one in enumerate(node.elts)}
    elif isinstance(node, ast.Dict):
        pairs = zip(node.keys, node.values, strict=True)
        places |= {str(key.value): value for key, value in pairs if isinstance(key, ast.Constant)}
    return places


def _part(row: Row, places: dict[str, ast.expr]) -> ast.expr | None:
    """Return what stands where a row is."""
    if not row.at.steps:
        return places.get("")
    step = row.at.steps[-1]
    if len(row.at.steps) > 1 or not isinstance(step, (Item, Attr)):
        raise Unknown
    return places.get(str(step.key) if isinstance(step, Item) else step.name)


def _is_there(value: ast.expr | None) -> bool:
    return value is not None and not (isinstance(value, ast.Constant) and value.value is None)


def _numbers(node: ast.expr) -> list[int]:
    """Return the whole numbers that an expression may be; nothing where others are possible."""
    if isinstance(node, ast.Constant) and type(node.value) is int:
        return [node.value]
    if isinstance(node, ast.IfExp):
        one, other = _numbers(node.body), _numbers(node.orelse)
        return [*one, *other] if one and other else []
    return []


def _never_empty(node: ast.expr) -> bool:
    """Tell whether a text has something in it, whatever is put into it."""
    if isinstance(node, ast.Constant):
        return bool(node.value)
    return isinstance(node, ast.JoinedStr) and any(isinstance(one, ast.Constant) and one.value for one in node.values)
