"""Answers written: their parts put together as the target has them."""

from __future__ import annotations

import ast
from dataclasses import dataclass

from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.lenses.content import ContentUnderKeys
from vast_ferry.mapping.lenses.pairs import FieldLists, FlatFields
from vast_ferry.mapping.places import Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import ReplyForm, Row
from vast_ferry.translate.python.reply_parts import Forms, Made
from vast_ferry.translate.values import Stop


@dataclass(frozen=True, slots=True)
class _Item:
    """One item of a list or mapping as source; what is spread holds several."""

    text: str
    spread: bool = False

    def written(self, star: str) -> str:
        return f"{star}{self.text}" if self.spread else self.text


class ReplyWriting(Forms):
    """Writes the answers of one function."""

    # --- written ---

    def _construct(self, made: Made, node: ast.AST) -> str:
        """Return the source of an answer at the target."""
        form = self._target
        rows = {row.field: row for row in form.rows}
        parts: dict[str, str] = {}
        self._type_of_nothing(made, node)
        self._type_of_something(made, node)
        if made.status and made.status != "200":
            parts["status"] = made.status
        elif made.status or form.when in ("mapping", "tuple"):
            parts["status"] = made.status or "200"
        if "headers" in rows:
            listed = self._in_form(made, rows["headers"], node)
            if listed:
                parts["headers"] = listed
        else:
            self._as_mapping(made, parts, node)
        if made.body:
            self._content(made, rows["body"], parts, node)
        else:
            parts |= self._no_content(made, rows["body"])
        if form.when == "mapping":
            return self._literal(form, parts, node)
        if form.when == "tuple":
            return self._tuple(form, parts)
        return self._object(form, parts, node)

    def _tuple(self, form: ReplyForm, parts: dict[str, str]) -> str:
        """Return a tuple of which what is said last comes last; a status is always said."""
        by_place = {int(key): parts.get(row.field, "") for key, row in self._rows(form).items()}
        said = [at for at, text in by_place.items() if text or self._rows(form)[str(at)].field == "status"]
        items = [by_place.get(at) or "None" for at in range(max(said) + 1)]
        return f"({', '.join(items)}{',' * (len(items) == 1)})"

    def _type_of_nothing(self, made: Made, node: ast.AST) -> None:
        """Name the type that content which is left out gets at the source, where the target gives it none."""
        if made.usual is None or made.body or made.names_type or made.status in ("204", "304"):
            return
        there = (None if self._by_content else self._target.default_types) or ("", "")
        if made.empty_type not in ("str", "bytes") or there[made.empty_type == "bytes"]:
            return
        if made.spreads:  # which may name one
            raise Stop("headers-unknown", node)
        made.pairs.append(('"content-type"', quoted(made.usual[made.empty_type == "bytes"]), "content-type"))

    def _type_of_something(self, made: Made, node: ast.AST) -> None:
        """Name the type that content gets at the source which names none, where the target gives it another."""
        if made.usual is None or not made.body or made.names_type:
            return
        there = self._target.default_types or ("", "")
        differs = [bool(own) and own != other for own, other in zip(made.usual, there, strict=True)]
        if made.body_type not in ("str", "bytes"):
            if any(differs):
                raise Stop("text-or-bytes", node)
            return
        if differs[made.body_type == "bytes"]:
            if made.spreads:  # which may name one
                raise Stop("headers-unknown", node)
            made.pairs.append(('"content-type"', quoted(made.usual[made.body_type == "bytes"]), "content-type"))

    def _no_content(self, made: Made, row: Row) -> dict[str, str]:
        """Return what is written for a content that is left out.

        It counts as text at one provider and as bytes at another, and gets its type by that, or gets none.
        """
        if not made.empty_type or made.names_type or made.status in ("204", "304"):
            return {}
        if row.lens.content == "keys":  # what stands under no key has no type; one that it had is named by itself
            return {}
        flagged = row.lens.content == "packed"
        if made.empty_type == "none" and row.null_if_empty:
            return {"body": "None"}
        if flagged and made.empty_type == "bytes":
            return {"body": '""', "flag": "True"}
        return {"body": '""'} if not flagged and made.empty_type == "str" else {}

    def _as_pairs(self, made: Made) -> str:
        """Return the source of header fields as a list of pairs."""
        items: list[_Item] = []
        for name, value, _ in made.pairs:
            if name:
                items.append(_Item(f"({name}, {value})"))
                continue
            kind, text = made.spreads[int(value)]
            items.append(_Item(f"{text}.items()" if kind == "dict" else text, spread=True))
        for how, text in made.cookies:
            one = f'("set-cookie", {text})'
            items.append(
                _Item(one) if how == "one" else _Item(f'(("set-cookie", cookie) for cookie in {text})', spread=True)
            )
        if len(items) == 1 and made.spreads:
            kind, text = made.spreads[0]
            return f"list({text}.items())" if kind == "dict" else text
        return f"[{', '.join(one.written('*') for one in items)}]" if items else ""

    def _in_form(self, made: Made, row: Row, node: ast.AST) -> str:
        """Return the source of header fields as pairs, or in the form that the target takes instead."""
        listed = self._as_pairs(made)
        if not listed or not isinstance(row.lens, (FieldLists, FlatFields)):
            return listed
        if made.cookies or not all(known for _, _, known in made.pairs):
            return f"{self.job.beside(self.at.module, row.lens.made_by)}({listed})"
        if isinstance(row.lens, FlatFields):
            return f"[{', '.join(text for name, value, _ in made.pairs for text in (name, value))}]"
        lists: dict[str, list[str]] = {}
        for _, value, known in made.pairs:
            lists.setdefault(quoted(known.lower()), []).append(value)
        entries = [f"{name}: [{', '.join(values)}]" for name, values in lists.items()]
        return f"{{{', '.join(entries)}}}"

    def _as_mapping(self, made: Made, parts: dict[str, str], node: ast.AST) -> None:
        """Put header fields into a mapping of names that don't repeat, and cookies apart."""
        fields: list[_Item] = []
        _join_literals(made)
        named = [known.lower() for name, _, known in made.pairs if name]
        repeated = len(set(named) - {"set-cookie"}) != sum(name != "set-cookie" for name in named)
        if repeated or not all(named) or any(kind == "pairs" for kind, _ in made.spreads):
            self._joined(made, parts, node)
            return
        cookies = [_Item(value) for name, value, known in made.pairs if name and known.lower() == "set-cookie"]
        for name, value, known in made.pairs:
            if not name:
                fields.append(_Item(made.spreads[int(value)][1], spread=True))
            elif known.lower() != "set-cookie":
                fields.append(_Item(f"{name}: {value}"))
        for how, text in made.cookies:
            cookies.append(_Item(text, spread=how != "one"))
        if fields:
            listed = "{" + ", ".join(one.written("**") for one in fields) + "}"
            parts["headers.plain"] = _alone(fields) or listed
        if cookies:
            parts["set_cookies"] = _alone(cookies) or f"[{', '.join(one.written('*') for one in cookies)}]"

    def _joined(self, made: Made, parts: dict[str, str], node: ast.AST) -> None:
        """Let small functions join the header fields that can't be told apart here, and take the cookies out."""
        if not any(row.field == "set_cookies" for row in self._target.rows):
            raise Stop("headers-unknown", node)
        listed = self._as_pairs(made)
        first, again = (
            (listed, listed) if listed.isidentifier() else (f"{(name := self.at.fresh('pairs'))} := {listed}", "")
        )
        joined, cookies = (self.job.beside(self.at.module, one) for one in ("joined_fields", "cookies_set"))
        if not again and self._in_comprehension(node):
            raise Stop("headers-unknown", node)
        parts["headers.plain"], parts["set_cookies"] = f"{joined}({first})", f"{cookies}({again or name})"

    def _in_comprehension(self, node: ast.AST) -> bool:
        """Tell whether a name can't be given a value inside an expression."""
        at = self.at.parents.get(id(node))
        while at is not None and not isinstance(at, ast.stmt):
            if isinstance(at, ast.comprehension):
                return True
            at = self.at.parents.get(id(at))
        return self.at.function is None

    def _content(self, made: Made, row: Row, parts: dict[str, str], node: ast.AST) -> None:
        types = self.job.target.kinds[self.at.kind].answered.written.types
        typeless = made.empty_type == "none" or made.usual is None
        if types and typeless and not made.typed and not _is_something(made.body):
            self._without_type(made, row, "bytes" in types, parts, node)
            return
        if row.lens.content in ("bytes", "keys") and made.body_type not in ("str", "bytes"):
            raise Stop("text-or-bytes", node)
        if row.lens.content == "bytes" and made.body_type == "str":
            parts["body"] = f"({made.body}).encode()"
            return
        if row.lens.content != "packed":
            parts["body"] = made.body
            parts["body_type"] = made.body_type
            return
        if made.body_type == "str":
            parts["body"] = made.body
            return
        given = made.body if made.body_type == "bytes" else f'{made.body} or b""'
        encoded = self.at.need(["import base64"], f"base64.b64encode({given}).decode()")
        if made.body_type == "bytes":
            parts["body"], parts["flag"] = encoded, "True"
            return
        name, test = made.body, made.body
        if not name.isidentifier():
            if self._in_comprehension(node) or made.body_type == "either":
                raise Stop("text-or-bytes", node)
            name = self.at.fresh("body")
            test = f"{name} := {made.body}"
            encoded = self.at.need(["import base64"], f'base64.b64encode({name} or b"").decode()')
        parts["body"] = f"{name} if isinstance({test}, str) else {encoded}"
        parts["flag"] = f"not isinstance({name}, str)"

    def _without_type(self, made: Made, row: Row, typed: bool, parts: dict[str, str], node: ast.AST) -> None:
        """Write content that has no type, and may be empty: an empty one must get none, as there was nothing.

        A target that has no type for bytes (`typed`) is given those.
        """
        operand = made.body if made.body.isidentifier() else f"({made.body})"
        parts["body_type"] = made.body_type
        if row.lens.content != "keys" and typed:
            parts["body"] = f"{operand} or None"
            return
        if made.body_type not in ("str", "bytes") or self._in_comprehension(node):
            raise Stop("text-or-bytes", node)
        if not typed:
            parts["body"] = made.body if made.body_type == "bytes" else f"{operand}.encode()"
            return
        parts["body"] = parts["held"] = made.body if made.body.isidentifier() else self.at.fresh("body")
        parts["test"] = made.body if made.body.isidentifier() else f"({parts['held']} := {made.body})"

    def _literal(self, form: ReplyForm, parts: dict[str, str], node: ast.AST) -> str:
        items = []
        for row in form.rows:
            if row.field in parts and isinstance(row.lens, ContentUnderKeys):
                kind = "text" if parts["body_type"] == "str" else "bytes"
                if kind not in row.lens.key_of:
                    raise Stop("text-or-bytes", node)
                item = f"{quoted(row.lens.key_of[kind])}: {parts[row.field]}"
                items.append(f"**({{{item}}} if {parts['test']} else {{}})" if "test" in parts else item)
            elif row.field in parts and isinstance(row.at.steps[-1], Item):
                items.append(f"{quoted(str(row.at.steps[-1].key))}: {parts[row.field]}")
                if row.field == "body" and "flag" in parts and row.flag is not None:
                    last = row.flag.steps[-1]
                    assert isinstance(last, Item)
                    items.append(f"{quoted(str(last.key))}: {parts['flag']}")
        return self.at.set_out("{", items, "}", node)

    def _object(self, form: ReplyForm, parts: dict[str, str], node: ast.AST) -> str:
        module, _, name = form.class_name.rpartition(".")
        shape = self.job.answered(REQUEST)
        takes = shape.by_hand.takes if shape.by_hand else tuple(self.job.target.model.modules[module][name].takes)
        by_name = {key: row.field for key, row in self._rows(form).items()}
        items: list[str] = []
        named = False
        for parameter in takes:
            key = parameter.partition("=")[0]
            text = parts.get(by_name.get(key, ""), "")
            if not text or (by_name.get(key) == "status" and text == "200"):
                named = True
                continue
            items.append(text if not named and not items else f"{key}={text}")
        called = self.at.need([f"from {module} import {name}"], f"{name}(")
        return self.at.set_out(called, items, ")", node)


def _join_literals(made: Made) -> None:
    """Join the values of one name that stand there in full (RFC 9110 section 5.3), cookies left as they are."""
    joined: dict[str, int] = {}
    pairs: list[tuple[str, str, str]] = []
    for name, value, known in made.pairs:
        at = joined.get(known.lower(), -1) if known.lower() != "set-cookie" else -1
        values = [_literal_text(text) for text in (pairs[at][1], value)] if at >= 0 else []
        if values and None not in values:
            pairs[at] = (pairs[at][0], quoted(", ".join(map(str, values))), known)
            continue
        if known:
            joined.setdefault(known.lower(), len(pairs))
        pairs.append((name, value, known))
    made.pairs[:] = pairs


def _literal_text(source: str) -> str | None:
    try:
        value = ast.literal_eval(source)
    except (ValueError, SyntaxError):
        return None
    return value if isinstance(value, str) else None


def _is_something(source: str) -> bool:
    """Tell whether content is plainly not empty: a literal, or a formatted text that begins with one."""
    if _literal_text(source):
        return True
    try:
        node = ast.parse(source, mode="eval").body
    except SyntaxError:
        return False
    return isinstance(node, ast.JoinedStr) and any(isinstance(one, ast.Constant) and one.value for one in node.values)


def _alone(items: list[_Item]) -> str:
    """Return what is spread where nothing else stands beside it."""
    return items[0].text if len(items) == 1 and items[0].spread else ""
