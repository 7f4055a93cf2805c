"""Answers that stand in full where a handler returns them, written as one writes them at the target.

What an answer says is read off its source: a status, header fields one by one, cookies, content. That is only done
where all of it stands there: an object with known keys, fields under plain names, a text, a chain of calls. Then it is
written in the target's form, each expression as its author wrote it. What could come out otherwise than the emitted
function would have it (another order of evaluation, a charset that only running the code tells, a status that may have
no content) is left to that.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.documents.javascript_file import Node, string_of
from vast_ferry.mapping.javascript.functions import Source, Takes
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.tables import ReplyForm, ReplyShape, Row
from vast_ferry.mapping.writers import WriterMethod
from vast_ferry.translate.javascript.contents import BYTES, MAYBE, TEXT, Contents
from vast_ferry.translate.javascript.looking import only_looks
from vast_ferry.translate.javascript.scopes import FUNCTIONS
from vast_ferry.translate.javascript.spelling import (
    as_key,
    either_way,
    entries_of,
    is_cookie,
    is_literal,
    object_of,
    pair,
    pairs_of,
    quote_of,
)
from vast_ferry.translate.javascript.values import bare

_UTF8 = re.compile(r";\s*charset\s*=\s*\"?utf-?8\"?\s*(;|$)", re.IGNORECASE)
_CHARSET = re.compile(r";\s*charset\s*=", re.IGNORECASE)
_NO_CONTENT = ("204", "205", "304")
#: So long is a line at most that is written here.
WIDTH = 110


@dataclass(slots=True)
class Told:
    """What an answer says, each part as source: name and value of header fields with their quotes."""

    status: str = "200"
    number: str = ""  # the status as digits, where a name stands for a number that is known
    fields: list[tuple[str, str]] = field(default_factory=list)
    cookies: list[str] = field(default_factory=list)
    content: str = ""  # empty: none
    order: list[Node] = field(default_factory=list)  # the expressions, as they are evaluated
    body: Node | None = None  # which of them is the content
    typed: str = ""  # the content's type, if it is told; `?` where that is only known when it runs
    typed_by: Node | None = None  # the header field's value that tells it
    charset_seen: bool = True
    perhaps: Node | None = None  # a header field's value that may be no text
    conditional: list[tuple[str, str]] = field(default_factory=list)  # fields, under names that may have no value
    in_fields: set[int] = field(default_factory=set)  # the expressions of header fields that are told one by one
    in_cookies: set[int] = field(default_factory=set)
    in_status: int = 0  # the expression of the status, where one is told


#: What asks nobody: comparing without turning anything into something else, and choosing.
_SETTLED: Final = ("===", "!==", "&&", "||", "??")


class Answers:
    """Reads answers of one shape off their source, and writes them in another."""

    def __init__(
        self,
        contents: Contents,
        shapes: tuple[ReplyShape, ReplyShape],
        takes: Takes,
        text_of: Callable[[Node], str],
        calls: Callable[[Node], list[tuple[str, list[Node]]]],
        *,
        emit: Callable[[Source], str],
        caught: bool = False,
        named: Collection[int] = (),
        maybe: Collection[int] = (),
    ) -> None:
        self.file, self.scopes, self.takes = contents.file, contents.scopes, takes
        self.contents = contents
        self._text = text_of  # an expression's source, with what is read of the event written in it
        self._calls = calls  # what a chain calls, one after the other
        self.ours, self.theirs = shapes
        self.named = named  # expressions that were worked out before, under a name
        self.caught = caught  # whether a function around all this may catch what it throws
        self.quote = quote_of(self.file)
        self.maybe = maybe  # what is told under a condition
        self.emit = emit  # gives an emitted function, and returns its name
        self.notes: dict[str, Node] = {}  # what is taken for granted: code of a note, and where

    def written(self, value: Node, before: Sequence[Node] = ()) -> str:
        """Return an answer as the target has it; empty where that is left to the emitted function.

        `before` are chains of calls that stand before it and tell parts of it.
        """
        write = self._writer()
        if write is None:
            return ""
        told = self._told(bare(value), before)
        text = write(value, told) if told is not None else ""
        if text and told is not None and not told.charset_seen and told.typed_by is not None:
            self.notes["charset-not-seen"] = told.typed_by
        if text and told is not None and told.perhaps is not None:
            self.notes["field-perhaps-no-text"] = told.perhaps
        through = told.body if told is not None and self._takes_either() else None
        if text and through is not None and self.contents.of(through) == MAYBE:
            self.notes["content-perhaps-no-text"] = through
        return text

    # --- reading ---

    def _told(self, value: Node, before: Sequence[Node]) -> Told | None:
        forms = {form.when: form for form in self.ours.forms if not _has_more(form)}
        if self.ours.bodyless or len(forms) < len({id(form) for form in self.ours.forms}):
            return None  # which form a value has, and what becomes of it, the emitted function says
        if "writer" in forms:
            return self._of_chains([*before, value], forms["writer"])
        if value.type == "object" and "mapping" in forms:
            return self._of_mapping(value, forms["mapping"])
        if value.type in ("string", "template_string") and "text" in forms:
            told = Told(content=self._text(value), order=[value], body=value)
            fixed = forms["text"].fixed
            plain = fixed.get("headers") or fixed.get("headers.plain") or []
            told.status = str(fixed.get("status", 200))
            told.fields = [(self._quoted(name), self._quoted(text)) for name, text in plain]
            told.typed = next((text for name, text in plain if name == "content-type"), "")
            return told if [row.lens.name for row in forms["text"].rows] == ["text"] else None
        nothing = self.file.text(value) in ("null", "undefined")
        if nothing and "nothing" in forms and not forms["nothing"].rows:
            return Told(status=str(forms["nothing"].fixed.get("status", 200)))
        return None

    def _of_mapping(self, value: Node, form: ReplyForm) -> Told | None:
        given: dict[str, Node] = {}
        for one in value.named_children:
            if one.type == "comment":
                continue
            if one.type == "shorthand_property_identifier":
                given[self.file.text(one)] = one
                continue
            key = one.child_by_field_name("key") if one.type == "pair" else None
            if key is None or key.type not in ("property_identifier", "string"):
                return None
            given[self.file.text(key).strip("\"'")] = one.child_by_field_name("value")
        rows = {_key(row): row for row in form.rows}
        flags = {
            str(row.flag.steps[-1].key): row for row in form.rows if row.flag and isinstance(row.flag.steps[-1], Item)
        }
        if None in rows or given.keys() - rows.keys() - flags.keys():
            return None
        told = Told(order=list(given.values()))
        for key, node in given.items():
            row = rows.get(key)
            if row is not None and not self._part(told, row, node):
                return None
        body = next((row for row in form.rows if row.field == "body"), None)
        packed = [node for key, node in given.items() if key in flags and self.file.text(node) != "false"]
        if packed and (
            body is None or self.file.text(packed[0]) != "true" or not self._unpacked(told, given.get(str(_key(body))))
        ):
            return None
        if body is not None and body.lens.content == "either":
            return self._with_type_of_either(told, form)
        return self._with_type(told, form, "bytes" if packed else "text")

    def _with_type_of_either(self, told: Told, form: ReplyForm) -> Told | None:
        """Add the type of content that is text or bytes, as it is given; where there is none it is that of bytes."""
        kind = BYTES if told.body is None else self.contents.of(told.body)
        certain = kind in (TEXT, BYTES) or (told.body is not None and self.contents.is_of_an_error(told.body))
        if not told.typed and not certain:
            return told if self._names_types_alike(form) else None
        return self._with_type(told, form, BYTES if kind == BYTES else TEXT)

    def _of_chains(self, values: list[Node], form: ReplyForm) -> Told | None:
        """Read an answer that is told by chains of calls on what is handed over, one after the other."""
        writer = self.ours.writer
        assert writer is not None
        fields = {_name_of(row): row.field for row in form.rows}
        told = Told(status=str(next((writer.holds[name] for name, one in fields.items() if one == "status"), 200)))
        calls = [call for value in values for call in self._calls(value)]
        methods = {camel(name): one for name, one in writer.methods.items()}
        sealed: set[str] = set()
        for name, given in calls:
            method = methods.get(name)
            if method is None or sealed & {*method.sets, *method.puts}:
                return None
            sealed |= set(method.seals)
            if not self._call(told, fields, method, given):
                return None
        return self._with_type_of_either(told, form)

    def _call(self, told: Told, fields: dict[str, str], method: WriterMethod, given: list[Node]) -> bool:
        """Take in one call of a chain; tell whether it is understood."""
        if any(one.type in ("spread_element", "comment") for one in given) or method.adds:
            return False
        by_name = dict(zip((one.partition("=")[0] for one in method.takes), given, strict=False))
        told.order += given
        if any(one.id in self.maybe for one in given) and (method.sets or len(method.puts) != 1):
            return False
        if not all(self._set(told, fields.get(at, ""), by_name.get(name)) for at, name in method.sets.items()):
            return False
        for attribute, (own, held) in method.puts.items():
            if fields.get(attribute) != "headers" or (method.over and self._stands(told, by_name.get(own))):
                return False
            perhaps = {one[1:-1].lower() for one, _ in told.conditional}
            if (string_of(self.file, by_name.get(own)) or "").lower() in perhaps:
                return False
            if not self._put(told, by_name.get(own), by_name.get(held)):
                return False
        return True

    def _stands(self, told: Told, name: Node | None) -> bool:
        """Tell whether a field of a name was told already."""
        own = (string_of(self.file, name) or "").lower()
        return bool(own == "set-cookie" and told.cookies) or any(own == one[1:-1].lower() for one, _ in told.fields)

    def _set(self, told: Told, field: str, node: Node | None) -> bool:
        if field == "status" and node is not None:
            told.status, told.in_status = self._text(node), node.id
            known = self.contents.stands.get(node.id)
            told.number = known.text.decode() if known is not None and known.type == "number" else ""
        elif field == "body":
            told.content, told.body = (self._text(node), node) if node is not None else ("", None)
        else:
            return False
        return True

    def _put(self, told: Told, name: Node | None, value: Node | None) -> bool:
        """Take in a header field."""
        own = string_of(self.file, name)
        if own is None or value is None:
            return False
        if value.id in self.maybe:
            if self.contents.of(value) != TEXT or own.lower() == "content-type":
                return False
            if own.lower() != "set-cookie" and any(own.lower() == one[1:-1].lower() for one, _ in told.fields):
                return False
            told.conditional.append((self._quoted(own), self._text(value)))
            return True
        if self.contents.of(value) != TEXT:
            told.perhaps = told.perhaps or value
        if own.lower() == "set-cookie":
            told.cookies.append(self._text(value))
            told.in_cookies.add(value.id)
            return True
        told.in_fields.add(value.id)
        told.fields.append((self._quoted(own), self._text(value)))
        if own.lower() == "content-type":
            self._typed(told, value)
        return True

    def _part(self, told: Told, row: Row, node: Node) -> bool:
        """Take in one part of an answer; tell whether it is understood."""
        if row.field == "status" and row.lens.plain:
            told.status, told.in_status = self._text(node), node.id
        elif row.field == "headers.plain" and row.lens.name == "joined":
            return self._fields(told, node)
        elif row.field == "set_cookies" and row.lens.plain and node.type == "array":
            inside = [one for one in node.named_children if one.type != "comment"]
            if any(one.type == "spread_element" for one in inside):
                return False
            told.cookies = [self._as_text(one) for one in inside]
        elif row.field == "body" and row.lens.content in ("packed", "either"):
            told.content, told.body = self._text(node), node
        else:
            return False
        return True

    def _fields(self, told: Told, node: Node) -> bool:
        if node.type != "object":
            return False
        for one in node.named_children:
            if one.type == "comment":
                continue
            key = one.child_by_field_name("key") if one.type == "pair" else None
            if key is None or key.type not in ("property_identifier", "string"):
                return False
            name, value = self.file.text(key).strip("\"'"), one.child_by_field_name("value")
            told.fields.append((self._quoted(name), self._as_text(value)))
            if name.lower() == "content-type":
                self._typed(told, value)
        return True

    def _typed(self, told: Told, value: Node) -> None:
        """Take in the type of the content, which may be told only while the handler runs."""
        told.typed = self.contents.literal(value) or "?"
        told.typed_by = value

    def _unpacked(self, told: Told, content: Node | None) -> bool:
        """Make bytes of content that is told in Base64."""
        if content is None:
            return False
        text = self._text(content)
        bare = re.fullmatch(r"(.+)\.toString\((['\"])base64\2\)", text, re.DOTALL)
        told.content = bare[1] if bare else f"Buffer.from({text}, {self._quoted('base64')})"
        return True

    def _with_type(self, told: Told, form: ReplyForm, given: str) -> Told | None:
        """Add the type that content gets which names none; nothing where it names another charset than UTF-8."""
        if not told.typed and form.default_types is not None:
            told.typed = form.default_types[0 if given == "text" else 1]
            told.fields.append((self._quoted("content-type"), self._quoted(told.typed)))
        if given == "bytes" or not _CHARSET.search(told.typed) or _UTF8.search(told.typed):
            told.charset_seen = told.typed != "?" or given == "bytes" or told.body is None
            return told
        return None

    def _takes_either(self) -> bool:
        """Tell whether content may be given as text or as bytes here."""
        rows = self.ours.written.rows
        return self.ours.writer is not None or any(row.lens.content == "either" for row in rows)

    def _names_types_alike(self, form: ReplyForm) -> bool:
        """Tell whether content gets the same type there as here, be it text or bytes, where none is told."""
        there = self.theirs.written
        either = all(row.lens.content == "either" for row in there.rows if row.field == "body")
        return either and form.default_types is not None and form.default_types == there.default_types

    # --- writing ---

    def _writer(self) -> Callable[[Node, Told], str] | None:
        written = self.theirs.written
        lenses = {row.field: row.lens.name for row in written.rows}
        if self.theirs.bodyless or _has_more(written):
            return None
        if written.when == "writer" and self.theirs.writer is not None and lenses.get("headers") == "pairs":
            return self._through_calls
        if written.when == "mapping" and (lenses.get("headers.plain") == "joined" or lenses.get("headers") == "pairs"):
            return self._as_mapping
        if written.when == "object" and lenses.get("headers") in ("pairs", "web_headers"):
            return self._as_object
        return None

    def _through_calls(self, value: Node, told: Told) -> str:
        """Return the chain of calls by which an object answers that is handed over."""
        writer = self.theirs.writer
        assert writer is not None
        by_field = {row.field: _name_of(row) for row in self.theirs.written.rows}
        ways = sorted(writer.methods.items(), key=lambda way: way[1].over)
        one = {
            attribute: name for name, way in reversed(ways) for attribute in (*way.sets, *way.puts)
        }  # for what may stand several times
        names = [one.get(by_field.get(part, ""), "") for part in ("status", "headers", "body")]
        once = next((name for name, way in ways if way.over and by_field.get("headers") in way.puts), names[1])
        methods = [writer.methods.get(name) for name in names]
        if not all(methods) or not methods[2].ends:  # type: ignore[union-attr]
            return ""
        late = by_field["headers"] in methods[0].seals  # type: ignore[union-attr]
        if not self._in_order(told, late=late):
            return ""
        status = (
            [f".{camel(names[0])}({told.status})"] if told.status != str(writer.holds.get(by_field["status"])) else []
        )
        usual = self.theirs.written.default_types
        pairs = [*told.fields, *((self._quoted("set-cookie"), cookie) for cookie in told.cookies)]
        is_text = told.body is not None and told.body.type in ("string", "template_string")
        if usual is not None and is_text and pairs == [(self._quoted("content-type"), self._quoted(usual[0]))]:
            pairs = []  # it gets that type by itself
        every = [name.lower() for name, _ in pairs]
        calls = [
            f".{camel(once if every.count(name.lower()) == 1 else names[1])}({name}, {value})" for name, value in pairs
        ]
        calls = [*calls, *status] if late else [*status, *calls]
        if calls and self._may_be_caught(value) and not all(map(self._is_settled, told.order)):
            return ""  # part of the answer would be told already when another part fails
        calls.append(f".{camel(names[2])}({told.content})")
        return self._set_out(value, writer.name, calls)

    def field_told(self, name: Node, value: str, *, over: bool = False) -> str:
        """Return the call by which an object that is handed over is told a header field beside others.

        `over` where it stands in place of what was told under its name.
        """
        writer = self.theirs.writer
        assert writer is not None
        headers = next(_name_of(row) for row in self.theirs.written.rows if row.field == "headers")
        ways = sorted(writer.methods.items(), key=lambda way: way[1].over)
        own = next(way for way, method in (ways[::-1] if over else ways) if headers in method.puts)
        return f"{writer.name}.{camel(own)}({self._text(name)}, {value})"

    def _as_object(self, value: Node, told: Told) -> str:
        """Return the object that is made of an answer."""
        form = self.theirs.written
        by_field = {row.field: row for row in form.rows}
        lens = by_field["body"].lens.name if "body" in by_field else ""
        number = told.number or told.status
        bodyless = number in _NO_CONTENT
        if not number.isdigit() and lens == "response_body":
            return ""
        if not self._settled_but_content(told):
            return ""
        content = told.content if told.content and not bodyless else "null"
        if told.content and bodyless:
            return ""
        self._note_what_the_platform_does(told, headers_are_its_own=by_field["headers"].lens.name == "web_headers")
        fields = [*told.fields, *((self._quoted("set-cookie"), cookie) for cookie in told.cookies)]
        named = []
        status, headers = by_field.get("status"), by_field.get("headers")
        if status is None or headers is None:
            return ""
        if told.status != "200":
            named.append(pair(_name_of(status), told.status))
        if fields or told.conditional:
            names = [name.lower() for name, _ in (*fields, *told.conditional)]
            if headers.lens.name == "web_headers" and len(set(names)) == len(names):
                listed = ", ".join(
                    [*(pair(as_key(name), value) for name, value in fields), *entries_of(told.conditional)]
                )
                named.append(f"{_name_of(headers)}: {{ {listed} }}")
            else:
                listed = ", ".join([*(f"[{name}, {value}]" for name, value in fields), *pairs_of(told.conditional)])
                named.append(f"{_name_of(headers)}: [{listed}]")
        line = f"new {form.short_name}({content}{', ' * bool(named)}{object_of(named)})"
        if len(line.partition("\n")[0]) + self._column(value) <= WIDTH and "\n" not in line:
            return line
        pad = self._indent(value)
        parts = [content, *([object_of(named, f"{pad}  ")] if named else [])]
        return f"new {form.short_name}({', '.join(parts)})"

    def _note_what_the_platform_does(self, told: Told, *, headers_are_its_own: bool) -> None:
        """Note where the platform's own objects take or refuse a value otherwise than the source."""
        if not headers_are_its_own:
            return
        if told.body is not None and self.contents.of(told.body) not in (TEXT, BYTES):
            self.notes["content-perhaps-no-text"] = told.body
        values = [held for _, held in (*told.fields, *told.conditional)] + told.cookies
        if any(not is_literal(held) for held in values):
            self.notes["field-refused-sooner"] = told.order[0]

    def _as_mapping(self, value: Node, told: Told) -> str:
        """Return the mapping that an answer is."""
        keys = {row.field: _key(row) for row in self.theirs.written.rows}
        content = self._content_entries(told)
        if content is None or not (self._settled_but_content(told) or self._in_order(told)):
            return ""
        named = [pair(str(keys["status"]), told.status)]
        if "headers" in keys:  # pairs, cookies among them
            pairs = [*told.fields, *((self._quoted("set-cookie"), cookie) for cookie in told.cookies)]
            listed = [*(f"[{name}, {held}]" for name, held in pairs), *pairs_of(told.conditional)]
            named += [f"{keys['headers']}: [{', '.join(listed)}]"] if listed else []
        else:
            names = [name.lower() for name, _ in told.fields]
            if len(set(names)) < len(names):
                return ""
            plain = [one for one in told.conditional if not is_cookie(one[0])]
            cookies = [held for name, held in told.conditional if is_cookie(name)]
            listed = [*(pair(as_key(name), held) for name, held in told.fields), *entries_of(plain)]
            named += [f"{keys['headers.plain']}: {{ {', '.join(listed)} }}"] if listed else []
            cookies = [*told.cookies, *(f"...({held} !== undefined ? [{held}] : [])" for held in cookies)]
            named += [f"{keys['set_cookies']}: [{', '.join(cookies)}]"] if cookies else []
        named += content
        line = object_of(named)
        long = "\n" in line or len(line) + self._column(value) > WIDTH
        made = object_of(named, f"{self._indent(value)}  ") if long else line
        arrow = value.parent.type == "arrow_function"
        return f"({made})" if arrow else made

    def _content_entries(self, told: Told) -> list[str] | None:
        """Return the entries of a mapping that hold an answer's content; nothing where its form is not known."""
        row = next((row for row in self.theirs.written.rows if row.field == "body"), None)
        if row is None or (row.lens.content, row.flag is not None) not in (("packed", True), ("either", False)):
            return None
        if not told.content:
            return []
        if row.lens.content == "either":
            return [pair(str(_key(row)), told.content)]
        kind = TEXT if told.body is None else self.contents.of(told.body)
        step = row.flag.steps[-1] if row.flag is not None and len(row.flag.steps) == 1 else None
        if kind in (TEXT, MAYBE):
            return [pair(str(_key(row)), told.content)]
        if not isinstance(step, Item) or (kind != BYTES and not self._takes_either()):
            return None
        if kind != BYTES:
            return [f"...{self.emit(either_way(str(_key(row)), str(step.key)))}({told.content})"]
        chained = told.content if re.fullmatch(r"[\w.$]+(\([^()]*\))?", told.content) else f"({told.content})"
        return [f"{_key(row)}: {chained}.toString({self._quoted('base64')})", f"{step.key}: true"]

    # --- what is evaluated when ---

    def _in_order(self, told: Told, *, late: bool = False) -> bool:
        """Tell whether the parts are evaluated in the order in which they were, or it does not matter."""
        moving = [node for node in told.order if not self._is_settled(node)]
        if len(moving) < 2 or all(only_looks(self.file, node) for node in told.order):
            return True
        wanted = sorted(moving, key=lambda node: self._rank(node, told, late))
        return [node.id for node in wanted] == [node.id for node in moving]

    def _rank(self, node: Node, told: Told, late: bool) -> float:
        if told.body is not None and node.id == told.body.id:
            return 3
        if node.id == told.in_status:
            return 2.5 if late else 0
        if node.type == "object" or node.id in told.in_fields:
            return 1
        return 2 if node.type == "array" or node.id in told.in_cookies else 4

    def _settled_but_content(self, told: Told) -> bool:
        """Tell whether content may be worked out first: nothing else is worked out by calls."""
        others = [node for node in told.order if told.body is None or node.id != told.body.id]
        return all(map(self._is_settled, others)) or all(only_looks(self.file, node) for node in told.order)

    def _may_be_caught(self, node: Node) -> bool:
        """Tell whether what fails here is caught by the handler itself, which may then answer otherwise."""
        while node.parent is not None and node.parent.type not in FUNCTIONS:
            above = node.parent
            if above.type == "try_statement" and above.child_by_field_name("body") == node:
                return True
            node = above
        return self.caught

    def _is_settled(self, node: Node) -> bool:
        """Tell whether an expression gives the same whenever it is evaluated, and does nothing else."""
        kind = node.type
        if node.id in self.named:
            return True
        if kind in ("string", "number", "true", "false", "null", "undefined"):
            return True
        if kind in ("identifier", "shorthand_property_identifier"):
            binding = self.scopes.of(node)
            return binding is not None and binding.kind == "const"
        if kind in ("template_string", "object", "array"):
            inner = [
                one for one in node.named_children if one.type not in ("string_fragment", "comment", "escape_sequence")
            ]
            return all(self._is_settled(_inside(one)) for one in inner)
        if kind == "binary_expression" and self._text(node.child_by_field_name("operator")) not in _SETTLED:
            return False
        if kind in ("binary_expression", "ternary_expression", "parenthesized_expression"):
            return all(self._is_settled(one) for one in node.named_children if one.type != "comment")
        return False

    # --- texts ---

    def _column(self, node: Node) -> int:
        return int(node.start_point[1])

    def _indent(self, node: Node) -> str:
        """Return what the line begins with in which a node stands."""
        begin = self.file.content.rfind(b"\n", 0, node.start_byte) + 1
        line = self.file.content[begin : node.start_byte].decode("utf-8", "replace")
        return line[: len(line) - len(line.lstrip())]

    def _set_out(self, node: Node, head: str, calls: list[str]) -> str:
        """Return a chain of calls in one line, or one a line where that would be too long."""
        line = f"{head}{''.join(calls)}"
        if "\n" not in line and len(line) + self._column(node) <= WIDTH:
            return line
        pad = self._indent(node)
        return head + "".join(f"\n{pad}  {call}" for call in calls)

    def _as_text(self, node: Node) -> str:
        """Return the source of a value that has to be text, made text where it may be something else."""
        text = self._text(node)
        return text if self.contents.of(node) == TEXT else f"String({text})"

    def _quoted(self, text: str) -> str:
        return f"{self.quote}{text}{self.quote}"


def _inside(node: Node) -> Node:
    if node.type == "pair":
        return node.child_by_field_name("value")
    return node.named_children[0] if node.type == "template_substitution" else node


def _key(row: Row) -> str | None:
    """Return the key of an answer's mapping that a row stands under."""
    step = row.at.steps[0] if len(row.at.steps) == 1 else None
    return str(step.key) if isinstance(step, Item) else None


def _name_of(row: Row) -> str:
    step = row.at.steps[0] if row.at.steps else None
    return step.name if isinstance(step, Attr) else ""


def _has_more(form: ReplyForm) -> bool:
    """Tell whether an answer of a form is told by more than its type, or says more than what stands in it."""
    said = {"text": {"status", "headers", "headers.plain"}, "nothing": {"status"}}.get(form.when, set())
    return bool(form.keys or form.types or form.nothing_at is not None or form.fixed.keys() - said)
