"""What stands in short for a loop or a function, written in full where something in it has to be followed.

    for record in filter(is_wanted, event["batch"]):      for record in event["batch"]:
        ...                                                   if not is_wanted(record):
                                                                  continue
                                                              ...
    rows = list(map(load, names))                         rows = list(load(one) for one in names)

    state = reduce(lambda now, step: step(now), STEPS, start)        now = start
                                                          for step in STEPS:
                                                              now = step(now)
                                                          state = now

    guarded(lambda: stores.fetch("b", name), b"")         def as_action():
                                                              return stores.fetch("b", name)

                                                          guarded(as_action, b"")

    for key, value in visit["lines"]:                     for value in [value for key, value in visit["lines"]
        if key.lower() == "accept":                                     if key.lower() == "accept"]:
            ...                                               ...

A batch that is handed to `filter` is lost from sight, and what `map` or a function without a name calls can't be waited
for there; a loop through pairs for those of one name asks for more than it needs. As a loop, as a function that has a
name, as the values of a name, all of it can be followed. So these are written in full, in the author's own language,
before all is followed. That is done with what goes over a function of the project, or a lambda;
with a lambda that is handed to such a function, or stands in a table, and calls something; and only where nothing that
happens, nor its order, is another: no default value is worked out at another time, and no name is read behind a loop
that would hold another item.
"""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Container, Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.functions import DEFINITION, Definition
from vast_ferry.translate.python.nodes import Nodes, binds, lower_of, walk
from vast_ferry.translate.python.partials import partial_in_full
from vast_ferry.translate.python.source import PythonText, parsed
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit

#: Why a text was edited so, in the record of a crossing.
REASON = "in-full"
#: Scopes of their own: what stands in them can't be written before the statement around them.
_SCOPES = (ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp, ast.ClassDef, *DEFINITION)
_ODD = (ast.Await, ast.Yield, ast.YieldFrom, ast.NamedExpr)


def in_full(files: Mapping[str, bytes], made: Container[str] = ()) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write such things in full, and what is told of it.

    Loops through pairs are those in files in which something is `made` as it was.
    """
    read = {file: found for file in files if file.endswith(".py") and (found := parsed(files, file)) is not None}
    trees = [tree for _, tree in read.values()]
    known = [node for tree in trees for node in walk(tree) if isinstance(node, DEFINITION)]
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    for file, (text, tree) in read.items():
        page = _Page(text, tree, {one.name for one in known}, file in made)
        page.write_partials(known)
        page.write()
        if page.edits:
            edits[file] = page.edits
        for what, node in page.told:
            severity, reason, remedy = note("in-full", "", "", what)
            findings.append(Finding("in-full", severity, reason, remedy, Place(file, node.lineno)))
    return edits, findings


@dataclass(slots=True)
class _Page:
    """One file on its way."""

    text: PythonText
    tree: ast.Module
    known: set[str]  # the names of all functions of the project
    paired: bool  # loops through pairs are written as well
    edits: list[Edit] = field(default_factory=list)
    told: list[tuple[str, ast.expr | ast.stmt]] = field(default_factory=list)
    parents: dict[int, ast.AST] = field(default_factory=dict)
    names: set[str] = field(default_factory=set)  # those that were made up

    def write_partials(self, functions: list[Definition]) -> None:
        """Write each `partial` at the module's top as the function that it is."""
        for node in self.tree.body:
            if (written := partial_in_full(self.text, self.tree, node, functions)) is not None:
                line = self.text.line_start(self.text.start(node))
                before = self.text.data[:line]
                gap = "" if before.endswith(b"\n\n\n") or not before else "\n" if before.endswith(b"\n\n") else "\n\n"
                behind = self.text.next_line(self.text.end(node) - 1)
                after = "" if self.text.data[behind : behind + 2] in (b"\n\n", b"") else "\n"
                after += "\n" if self.text.data[behind : behind + 1] not in (b"\n", b"") else ""
                self._edit(node, f"{gap}{written}{after}")
                self.told.append(("a partial", node))

    def write(self) -> None:
        self.parents = Nodes(self.tree).parents
        done: set[int] = set()
        for node in walk(self.tree):
            if isinstance(node, ast.For) and self.paired:
                self._of_one_name(node)
            if isinstance(node, (ast.Assign, ast.AnnAssign, ast.Return)) and self._folded(node):
                done.update(map(id, walk(node)))
            if id(node) in done or not isinstance(node, (ast.Call, ast.Lambda)):
                continue
            if self._over(node) if isinstance(node, ast.Call) else self._named(node):
                done.update(map(id, walk(node)))

    # --- map and filter ---

    def _over(self, node: ast.Call) -> bool:
        """Write a call of `map` or `filter` as a loop, or a lazy comprehension, if it is one."""
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        odd = len(node.args) != 2 or node.keywords or any(isinstance(one, ast.Starred) for one in node.args)
        if name not in ("map", "filter") or odd or any(binds(one, name) for one in walk(self.tree)):
            return False
        if any(isinstance(one, ast.JoinedStr) for one in self._around(node)):
            return False  # before Python 3.12 nobody tells where its parts stand
        function, over = node.args
        if not self._is_followed(function):
            return False
        above, given = self.parents.get(id(node)), self._alone(over)
        if isinstance(above, ast.For) and above.iter is node and self._as_statement(above, name, function, given):
            pass
        elif isinstance(above, ast.comprehension) and above.iter is node and name == "filter":
            if not isinstance(above.target, ast.Name) or above.is_async:
                return False
            asked = self._applied(function, above.target.id)
            self._edit(node, f"{given} if {asked}")
        else:
            one = function.args.args[0].arg if isinstance(function, ast.Lambda) else self._free_in(node)
            asked = self._applied(function, one)
            made = f"{asked} for {one} in {given}" if name == "map" else f"{one} for {one} in {given} if {asked}"
            alone = isinstance(above, ast.Call) and above.args == [node] and not above.keywords
            self._edit(node, made if alone else f"({made})")
        self.told.append((f"{name}({self.text.of(function)}, …)", node))
        return True

    def _folded(self, statement: ast.Assign | ast.AnnAssign | ast.Return) -> bool:
        """Write a statement that gives what `reduce` makes of something as a loop, if it is one."""
        node = statement.value
        odd = not isinstance(node, ast.Call) or len(node.args) != 3 or bool(node.keywords)
        if odd or not isinstance(node, ast.Call) or not self._is_reduce(node.func):
            return False
        function, over, first = node.args
        at, own = self.text.start(statement), self._two_names(function, statement)
        line, indent = self.text.line_start(at), self.text.indent_of(at)
        plain = isinstance(first, (ast.Name, ast.Constant)) or not any(isinstance(one, ast.Call) for one in walk(first))
        if own is None or not plain or self.text.data[line:at].strip():
            return False
        made, one = own
        step = "\t" if "\t" in indent else "    "
        applied = f"{self.text.of(function)}({made}, {one})"
        if isinstance(function, ast.Lambda):
            applied = self.text.of(function.body)
            applied = f"({applied})" if "\n" in applied else applied
        begins = f"{indent}{made} = {self._alone(first)}\n{indent}for {one} in {self._alone(over)}:\n"
        self.edits.append(Edit(line, line, f"{begins}{indent}{step}{made} = {applied}\n", REASON))
        self._edit(node, made)
        self.told.append((f"reduce({self.text.of(function)}, …)", node))
        return True

    def _is_reduce(self, named: ast.expr) -> bool:
        """Tell whether a name stands for the standard library's `reduce`."""
        froms = [one for one in walk(self.tree) if isinstance(one, ast.ImportFrom) and one.module == "functools"]
        if isinstance(named, ast.Name):
            told = any(one.name == "reduce" and not one.asname for by in froms for one in by.names)
            return named.id == "reduce" and told and sum(binds(one, "reduce") for one in walk(self.tree)) == 1
        return isinstance(named, ast.Attribute) and ast.unparse(named) == "functools.reduce"

    def _two_names(self, function: ast.expr, statement: ast.stmt) -> tuple[str, str] | None:
        """Return what a loop has for the two that `reduce` hands a function; nothing where that may not be written."""
        if not isinstance(function, ast.Lambda):
            return (self._free("made"), self._free("one")) if self._is_followed(function) else None
        arguments = function.args
        others = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg
        names = [one.arg for one in arguments.args]
        around = next((one for one in self._around(statement) if isinstance(one, DEFINITION)), self.tree)
        inside = {id(one) for one in walk(function)}
        said = {getattr(one, "id", "") or getattr(one, "arg", "") for one in walk(around) if id(one) not in inside}
        odd = any(isinstance(one, (*_ODD, ast.Lambda)) for one in walk(function.body))
        if len(names) != 2 or others or arguments.defaults or odd or not said.isdisjoint(names):
            return None
        return names[0], names[1]

    def _is_followed(self, function: ast.expr) -> bool:
        """Tell whether what `map` or `filter` calls is the project's own, or has no name."""
        if isinstance(function, ast.Lambda):
            arguments = function.args
            others = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg
            plain = len(arguments.args) == 1 and not others and not arguments.defaults
            return plain and not any(isinstance(one, (*_ODD, ast.JoinedStr)) for one in walk(function.body))
        if isinstance(function, ast.Attribute):
            return function.attr in self.known and isinstance(function.value, ast.Name)
        return isinstance(function, ast.Name) and function.id in self.known and not hasattr(builtins, function.id)

    def _applied(self, function: ast.expr, name: str) -> str:
        """Return the call of a function with what a name holds; what one without a name does with it."""
        if not isinstance(function, ast.Lambda):
            return f"{self.text.of(function)}({name})"
        own, body = function.args.args[0].arg, function.body
        start, data = self.text.start(body), self.text.of(body).encode()
        uses = [one for one in walk(body) if isinstance(one, ast.Name) and one.id == own]
        for use in sorted(uses, key=self.text.start, reverse=True) if own != name else ():
            at = self.text.start(use) - start
            data = data[:at] + name.encode() + data[at + len(own.encode()) :]
        written = data.decode()
        bare = isinstance(body, (ast.Call, ast.Name, ast.Attribute, ast.Subscript, ast.Compare, ast.Constant))
        return written if bare and "\n" not in written else f"({written})"

    def _alone(self, node: ast.expr) -> str:
        """Return an expression as it may stand by itself, in one line or in parentheses."""
        told = self.text.of(node)
        loose = isinstance(node, (ast.IfExp, ast.Lambda, ast.NamedExpr)) or "\n" in told
        return f"({told})" if loose else told

    def _as_statement(self, loop: ast.For, name: str, function: ast.expr, given: str) -> bool:
        """Write a loop over what `map` or `filter` gives as one over what these are given."""
        first = loop.body[0]
        at = self.text.start(first)
        line, indent = self.text.line_start(at), self.text.indent_of(at)
        if self.text.data[line:at].strip() or getattr(first, "decorator_list", []):
            return False  # it stands in the line of the loop's head, or what stands before it does
        if name == "map":
            one = function.args.args[0].arg if isinstance(function, ast.Lambda) else "one"
            one = self._free(one)
            self._edit(loop.target, one)
            begins = f"{indent}{self.text.of(loop.target)} = {self._applied(function, one)}\n"
        else:
            if not isinstance(loop.target, ast.Name) or self._is_read_behind(loop, loop.target.id):
                return False
            asked = self._applied(function, loop.target.id)
            step = "\t" if "\t" in indent else "    "
            begins = f"{indent}if not {asked}:\n{indent}{step}continue\n"
        self._edit(loop.iter, given)
        self.edits.append(Edit(line, line, begins, REASON))
        return True

    def _is_read_behind(self, loop: ast.For, name: str) -> bool:
        """Tell whether a loop's name may be read where it would hold the last item, and not the last that was taken."""
        around: ast.AST = loop
        while not isinstance(around, (*DEFINITION, ast.Module)):
            around = self.parents[id(around)]
        inside = {id(one) for statement in loop.body for one in walk(statement)}
        uses = [one for one in walk(around) if isinstance(one, ast.Name) and one.id == name]
        told = any(isinstance(one, (ast.Global, ast.Nonlocal)) and name in one.names for one in walk(around))
        deeper = any(isinstance(one, (*DEFINITION, ast.Lambda)) for statement in loop.body for one in walk(statement))
        return told or deeper or any(isinstance(use.ctx, ast.Load) and id(use) not in inside for use in uses)

    # --- pairs of which those of one name are wanted ---

    def _of_one_name(self, loop: ast.For) -> None:
        """Write a loop through pairs that does something with those of one name as one through their values."""
        pair = loop.target.elts if isinstance(loop.target, ast.Tuple) else []
        names = [one.id for one in pair if isinstance(one, ast.Name)]
        alone = loop.body[0] if len(loop.body) == 1 else None
        asked = loop.iter.func if isinstance(loop.iter, ast.Call) and not loop.iter.args else loop.iter
        listed = isinstance(asked, (ast.Name, ast.Attribute, ast.Subscript)) and not getattr(loop.iter, "keywords", [])
        if len(names) != 2 or len(pair) != 2 or not listed or not isinstance(alone, ast.If) or alone.orelse:
            return
        key, value = names
        tests = alone.test.values if isinstance(alone.test, ast.BoolOp) and isinstance(alone.test.op, ast.And) else []
        asked, rest = (tests[0], tests[1:]) if tests else (alone.test, [])
        within = [one for part in (*rest, *alone.body) for one in walk(part)]
        given, first = self.text.of(loop.iter), alone.body[0]
        odd = any(isinstance(one, ast.Name) and one.id == key for one in within)
        odd = odd or any(isinstance(one, ast.expr) and self.text.of(one) == given for one in within)
        read = self._is_read_behind(loop, key) or self._is_read_behind(loop, value) or key == value
        line = self.text.line_start(self.text.start(first))
        odd = odd or bool(getattr(first, "decorator_list", []))
        if odd or read or not _is_the_name(asked, key) or self.text.data[line : self.text.start(first)].strip():
            return
        self.told.append((f"the loop through {given}", loop.iter))
        wanted = f"{value} for {key}, {value} in {given} if {self.text.of(asked)}"
        if not rest and not loop.orelse and self._ends_it(alone) and self._may_go_left(alone):
            self._first_alone(loop, alone, value, wanted)
            return
        self._edit(loop.target, value)
        self._edit(loop.iter, f"[{wanted}]")
        if rest:
            self._edit(alone.test, self.text.data[self.text.start(rest[0]) : self.text.end(alone.test)].decode())
        elif self._may_go_left(alone):
            head, first_line = self.text.line_start(self.text.start(alone)), line
            self.edits.append(Edit(head, first_line, "", REASON))
            self._further_left(alone)
        else:
            self._edit(alone.test, "True")

    def _first_alone(self, loop: ast.For, alone: ast.If, value: str, wanted: str) -> None:
        """Write a loop that ends at the first pair of a name as what is done with it, if there is one."""
        indent = self.text.indent_of(self.text.start(loop))
        begins = f"{value} = next(({wanted}), None)\n{indent}if {value} is not None:\n"
        last, line = alone.body[-1], self.text.line_start(self.text.start(alone.body[0]))
        self.edits.append(Edit(self.text.start(loop), line, begins, REASON))
        if isinstance(last, ast.Break):
            start, end = self.text.start(last), self.text.end(last)
            self.edits.append(Edit(self.text.line_start(start), self.text.next_line(end - 1), "", REASON))
        self._further_left(alone)

    @staticmethod
    def _ends_it(alone: ast.If) -> bool:
        """Tell whether a condition's block ends the loop around it, at its end and nowhere else."""
        last = alone.body[-1]
        inside = [one for part in alone.body for one in walk(part)]
        odd = any(isinstance(one, (ast.Break, ast.Continue)) and one is not last for one in inside)
        broken = isinstance(last, ast.Break) and len(alone.body) > 1 and last.lineno > (alone.body[-2].end_lineno or 0)
        return (broken or isinstance(last, (ast.Return, ast.Raise))) and not odd

    def _may_go_left(self, alone: ast.If) -> bool:
        """Tell whether the block of a condition may stand where the condition stands."""
        head, first = self.text.start(alone), self.text.start(alone.body[0])
        texts = [one for one in walk(alone) if isinstance(one, (ast.Constant, ast.JoinedStr))]
        long = any(one.lineno != one.end_lineno for one in texts)
        more = len(self.text.indent_of(first)) - len(self.text.indent_of(head))
        lines = self._lines_of(alone)
        return not long and more > 0 and not any(line.strip() and not line[:more].isspace() for _, line in lines)

    def _further_left(self, alone: ast.If) -> None:
        """Let the block of a condition stand where the condition stood."""
        head, first = self.text.start(alone), self.text.start(alone.body[0])
        more = len(self.text.indent_of(first)) - len(self.text.indent_of(head))
        for at, line in self._lines_of(alone):
            if line[:more].isspace():
                self.edits.append(Edit(at, at + min(more, len(line)), "", REASON))

    def _lines_of(self, alone: ast.If) -> list[tuple[int, str]]:
        """Return the lines of a condition's block, each with where it begins."""
        at, lines = self.text.line_start(self.text.start(alone.body[0])), list[tuple[int, str]]()
        end = self.text.next_line(self.text.end(alone) - 1)
        for line in self.text.data[at:end].decode().split("\n"):
            lines.append((at, line))
            at += len(line.encode()) + 1
        return lines

    # --- functions without a name ---

    def _named(self, node: ast.Lambda) -> bool:
        """Write a function without a name as one that has one, before the statement in which it stands."""
        wanted = self._wanted(node)
        statement = self._statement_around(node)
        if not wanted or statement is None:
            return False
        at = self.text.start(statement)
        line, indent = self.text.line_start(at), self.text.indent_of(at)
        if self.text.data[line:at].strip():
            return False
        name, body = self._free(wanted), self.text.of(node.body)
        step = "\t" if "\t" in indent else "    "
        returned = f"({body})" if "\n" in body else body
        between = "\n" if indent else "\n\n"
        before = self.text.data[:line].rstrip(b" \t\r").removesuffix(b"\n").rsplit(b"\n", 1)[-1].strip()
        apart = "\n" if indent and before and not before.endswith(b":") else ""
        made = f"{apart}{indent}def {name}({ast.unparse(node.args)}):\n{indent}{step}return {returned}\n{between}"
        self.edits.append(Edit(line, line, made, REASON))
        self._edit(node, name)
        self.told.append(("a function without a name", node))
        return True

    def _wanted(self, node: ast.Lambda) -> str:
        """Return the name that a function without one may have, by where it stands; empty where it has to stay."""
        calls = any(isinstance(one, ast.Call) for one in walk(node.body))
        odd = any(isinstance(one, _ODD) for one in walk(node.body))
        if not calls or odd or node.args.defaults or any(node.args.kw_defaults):
            return ""
        above = self.parents.get(id(node))
        call = self.parents.get(id(above)) if isinstance(above, ast.keyword) else above
        if isinstance(call, ast.Call):
            named = getattr(call.func, "id", "") or getattr(call.func, "attr", "")
            if named not in self.known:
                return ""
            given = above.arg if isinstance(above, ast.keyword) else self._parameter(named, call, node)
            return f"as_{given or named}"
        if isinstance(above, ast.Dict) and node in above.values:
            key = above.keys[above.values.index(node)]
            word = key.value if isinstance(key, ast.Constant) else None
            return self._word(word)
        row = above
        while isinstance(row, (ast.List, ast.Tuple)):
            above, row = row, self.parents.get(id(row))
        if not isinstance(above, (ast.List, ast.Tuple)):
            return ""
        words = [one.value for one in getattr(self.parents.get(id(node)), "elts", ()) if isinstance(one, ast.Constant)]
        return self._word(words[0] if words else None)

    @staticmethod
    def _word(word: object) -> str:
        told = re.sub(r"\W+", "_", word).strip("_").lower() if isinstance(word, str) else ""
        return f"on_{told}" if told.isascii() and told else "as_given"

    def _parameter(self, name: str, call: ast.Call, node: ast.Lambda) -> str:
        """Return the parameter to which an argument goes, if a function of this file has the name."""
        found = [one for one in walk(self.tree) if isinstance(one, DEFINITION) and one.name == name]
        if len(found) != 1 or node not in call.args or any(isinstance(one, ast.Starred) for one in call.args):
            return ""
        own = [one.arg for one in (*found[0].args.posonlyargs, *found[0].args.args)]
        own = own[1:] if own[:1] == ["self"] else own
        at = call.args.index(node)
        return own[at] if at < len(own) else ""

    def _statement_around(self, node: ast.expr) -> ast.stmt | None:
        """Return the statement before which a function may be written that stands in it."""
        for at in self._around(node):
            if isinstance(at, (*_SCOPES, ast.arguments, ast.JoinedStr)):
                return None
            if not isinstance(at, ast.stmt):
                continue
            first, above = at, self.parents.get(id(at))
            while isinstance(first, ast.If) and isinstance(above, ast.If) and self._is_elif(first, above):
                first, above = above, self.parents.get(id(above))
            return None if isinstance(above, ast.ClassDef) else first
        return None

    def _is_elif(self, node: ast.If, above: ast.If) -> bool:
        start = self.text.start(node)
        return above.orelse == [node] and self.text.data[start : start + 4] == b"elif"

    def _around(self, node: ast.AST) -> Iterator[ast.AST]:
        at = self.parents.get(id(node))
        while at is not None:
            yield at
            at = self.parents.get(id(at))

    # --- both ---

    def _edit(self, node: ast.AST, written: str) -> None:
        self.edits.append(Edit(self.text.start(node), self.text.end(node), written, REASON))

    def _free(self, name: str) -> str:
        """Return a name that the file does not say yet, with a number where it does."""
        made = self.text.free(name, self.names)
        self.names.add(made)
        return made

    @staticmethod
    def _free_in(node: ast.Call) -> str:
        """Return a name that nothing in a call says: in a comprehension it is the comprehension's own."""
        said = {one.id for one in walk(node) if isinstance(one, ast.Name)}
        return next(name for name in ("one", "item", *(f"one_{number}" for number in range(2, 99))) if name not in said)


def _is_the_name(test: ast.expr, key: str) -> bool:
    """Tell whether a condition says that the name in a pair is one that stands there."""
    if not isinstance(test, ast.Compare) or len(test.ops) != 1 or not isinstance(test.ops[0], ast.Eq):
        return False
    sides = [test.left, test.comparators[0]]
    named = [lower_of(one) or one for one in sides if not isinstance(one, ast.Constant)]
    told = [one for one in sides if isinstance(one, ast.Constant) and isinstance(one.value, str)]
    return len(named) == len(told) == 1 and isinstance(named[0], ast.Name) and named[0].id == key
