"""What can be told of expressions and statements by their nodes alone: promises, chains, ends, indentation."""

from __future__ import annotations

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes


def chain_of(use: Node, file: JavaScriptFile, ends: set[str]) -> tuple[Node, bool] | None:
    """Return the chain of calls on a name, and whether it ends an answer; nothing where the name is used otherwise."""
    node = use
    while True:
        above = node.parent
        if above.type != "member_expression" or above.child_by_field_name("object") != node:
            alone = above.type == "expression_statement" and node != use
            return (node, False) if alone or _declared_by(above, node) else None
        name = file.text(above.child_by_field_name("property"))
        call = above.parent
        if call.type != "call_expression" or call.child_by_field_name("function") != above:
            return None
        if name in ends:
            return call, True
        node = call


def _declared_by(above: Node, node: Node) -> bool:
    """Tell whether a statement declares one name, with a node as its value."""
    plain = above.type == "variable_declarator" and above.child_by_field_name("value") == node
    named = plain and above.child_by_field_name("name").type == "identifier"
    return bool(named and above.parent.type == "lexical_declaration" and len(above.parent.named_children) == 1)


def name_of_chain(use: Node, file: JavaScriptFile, ends: set[str]) -> Node | None:
    """Return the name that a chain of calls on a name gets, where it does not end an answer."""
    chain = chain_of(use, file, ends)
    above = chain[0].parent if chain is not None and not chain[1] else None
    return above.child_by_field_name("name") if above is not None and above.type == "variable_declarator" else None


def statement_of(chain: Node) -> Node:
    """Return the statement that a chain of calls is, or that gives it a name."""
    return chain.parent.parent if chain.parent.type == "variable_declarator" else chain.parent


def chain_in(statement: Node) -> Node | None:
    """Return the chain of calls that a statement is, or gives a name."""
    if statement.type == "lexical_declaration":
        value: Node | None = statement.named_children[0].child_by_field_name("value")
        return value
    return statement.named_children[0] if statement.type == "expression_statement" else None


def chain_of_root(node: Node, file: JavaScriptFile) -> str:
    """Return the name on which a chain of calls begins; empty for anything else."""
    node = bare(node)
    while node.type == "call_expression":
        called = node.child_by_field_name("function")
        if called.type != "member_expression":
            return ""
        node = called.child_by_field_name("object")
    return file.text(node) if node.type == "identifier" else ""


def arguments_of(call: Node) -> list[Node]:
    """Return what a call is given."""
    return [one for one in call.child_by_field_name("arguments").named_children if one.type != "comment"]


def bare(node: Node) -> Node:
    while node.type == "parenthesized_expression" and len(node.named_children) == 1:
        node = node.named_children[0]
    return node


def indent_of(file: JavaScriptFile, node: Node) -> str:
    begin = file.content.rfind(b"\n", 0, node.start_byte) + 1
    text = file.content[begin : node.start_byte].decode("utf-8", "replace")
    return text if not text.strip() else text[: len(text) - len(text.lstrip())]


def own_nodes(body: Node) -> list[Node]:
    """Return the nodes of a function's body, but those of functions in it."""
    found, stack = [], [body]
    while stack:
        node = stack.pop()
        found.append(node)
        stack += [
            one for one in reversed(node.named_children) if one.type not in FUNCTIONS and one.type != "class_body"
        ]
    return found


def is_plain(value: Node) -> bool:
    """Tell whether a value is certainly no promise."""
    if value.type == "parenthesized_expression":
        return is_plain(value.named_children[0])
    if value.type == "ternary_expression":
        return is_plain(value.child_by_field_name("consequence")) and is_plain(value.child_by_field_name("alternative"))
    return value.type in (
        "object",
        "array",
        "string",
        "template_string",
        "number",
        "null",
        "undefined",
        "true",
        "false",
        "binary_expression",
    ) and not (value.type == "binary_expression" and value.child_by_field_name("operator").type in ("||", "&&", "??"))


def in_try(node: Node, function_node: Node) -> bool:
    above = node.parent
    while above is not None and above != function_node:
        # What is thrown in a `catch` or a `finally` is not caught there.
        if above.type == "try_statement" and above.child_by_field_name("body") == node:
            return True
        node, above = above, above.parent
    return False


#: By what is asked of a promise: how many functions are called with what it gives, or fails with.
_ASKED_OF_PROMISES = {"then": 2, "catch": 1, "finally": 0}


def _asked_of_promise(node: Node, file: JavaScriptFile) -> tuple[Node, str, list[Node]] | None:
    """Return the promise, the method and what that is given, where a node is `promise.then(…)` or the like."""
    called = node.child_by_field_name("function") if node.type == "call_expression" else None
    if called is None or called.type != "member_expression":
        return None
    method = file.text(called.child_by_field_name("property"))
    given = arguments_of(node)
    return (called.child_by_field_name("object"), method, given) if method in _ASKED_OF_PROMISES else None


def kept_values(value: Node, file: JavaScriptFile) -> list[Node]:
    """Return the values of which a promise keeps one that `then`, `catch` or `finally` gives; else the value itself.

    They are told where each of the functions stands there and ends with a `return` or a `throw` wherever it ends.
    """
    inside = bare(value.named_children[0] if value.type == "await_expression" else value)
    asked = _asked_of_promise(inside, file)
    if asked is None:
        return [value]
    promise, method, given = asked
    found = [] if method == "then" and given else kept_values(promise, file)
    for one in given[: _ASKED_OF_PROMISES[method]]:
        body = one.child_by_field_name("body") if one.type in ("arrow_function", "function_expression") else None
        if body is None:
            return [value]
        if body.type != "statement_block":
            found.append(body)
            continue
        returns = [inner for inner in own_nodes(body) if inner.type == "return_statement"]
        values = [inner for each in returns for inner in each.named_children if inner.type != "comment"]
        ends = all(inner.type in ("return_statement", "throw_statement") for inner in last_statements(body))
        if not ends or len(values) != len(returns):
            return [value]
        found += values
    return found


def is_caught_later(node: Node, file: JavaScriptFile) -> bool:
    """Tell whether what fails in a function that a promise calls may be caught by one that is called behind it."""
    above = node.parent
    while above is not None:
        if _asked_of_promise(above, file) is not None and above.parent.type == "member_expression":
            return True
        above = above.parent
    return False


def calls_of(chain: Node, file: JavaScriptFile) -> list[tuple[str, list[Node]]]:
    """Return the calls of a chain in the order in which they are made, each with what it is given."""
    calls: list[tuple[str, list[Node]]] = []
    while chain.type == "call_expression":
        called, given = chain.child_by_field_name("function"), chain.child_by_field_name("arguments")
        calls.insert(0, (file.text(called.child_by_field_name("property")), list(given.named_children)))
        chain = called.child_by_field_name("object")
    return calls


def never_fails(node: Node) -> bool:
    """Tell whether working out an expression certainly throws nothing: a literal, or a name that is bound by then."""
    plain = ("string", "number", "null", "undefined", "true", "false", "identifier", "comment")
    return node.type in plain or (node.type == "template_string" and not node.named_children)


def ends_the_function(statement: Node, body: Node) -> bool:
    """Tell whether nothing of a function's body comes behind a statement in it, on the way that leads through it."""
    while True:
        block = statement.parent
        above = block.parent
        if block.type in _CASES or above.type in _CASES:
            if not _ends_its_case(statement):
                return False
            statement = above.parent if block.type in _CASES else above.parent.parent  # the `switch`
            continue
        if block.type != "statement_block" or _statements(block)[-1] != statement:
            return False
        if block == body:
            return True
        above = above.parent if above.type in ("else_clause", "catch_clause") else above
        if above.type == "if_statement" and above.parent.type == "else_clause":
            above = _outermost(above)
        if above.type not in ("if_statement", "try_statement") or _child(above, "finally_clause") is not None:
            return False
        statement = above


def _ends_its_case(statement: Node) -> bool:
    """Tell whether a statement is the last of its case, but for a `break`, or in the block that is all of that."""
    block = statement.parent
    behind = _statements(block)[_statements(block).index(statement) + 1 :]
    if block.type not in _CASES:
        block = block.parent
        if len(_statements(block)) != 1:
            return False
    return (not behind and _is_last_case(block)) or (len(behind) == 1 and _is_plain_break(behind[0]))


def last_statements(block: Node) -> list[Node]:
    """Return the statements with which a block may end; itself where it may end with none."""
    inside = _statements(block)
    last = inside[-1] if inside else None
    if last is None:
        return [block]
    if last.type == "try_statement" and _child(last, "finally_clause") is None:
        caught = _child(last, "catch_clause")
        return [
            *last_statements(last.child_by_field_name("body")),
            *_of_way(caught and caught.child_by_field_name("body")),
        ]
    if last.type == "if_statement":
        other = last.child_by_field_name("alternative")
        return [*_of_way(last.child_by_field_name("consequence")), *_of_way(other and other.named_children[0], last)]
    if last.type == "switch_statement":
        return _of_cases(last)
    return [last]


_CASES = ("switch_case", "switch_default")


def _is_last_case(case: Node) -> bool:
    return bool([one for one in case.parent.named_children if one.type in _CASES][-1] == case)


def _is_plain_break(statement: Node) -> bool:
    return statement.type == "break_statement" and not statement.named_children


def _of_cases(switch: Node) -> list[Node]:
    """Return the statements with which a `switch` may end; itself where it may end with none."""
    cases = [one for one in switch.child_by_field_name("body").named_children if one.type in _CASES]
    found = [] if any(one.type == "switch_default" for one in cases) else [switch]
    for case in cases:
        inside = _statements(case)
        if len(inside) == 1 and inside[0].type == "statement_block":
            inside = _statements(inside[0])
        if inside and _is_plain_break(inside[-1]):
            inside, goes_on = inside[:-1], False
        else:
            goes_on = not _is_last_case(case)  # with the next case, where it does not end all
        if any(map(_leaves, inside)) or not (inside or goes_on):
            found.append(switch)
        elif inside and not (goes_on and inside[-1].type not in ("return_statement", "throw_statement")):
            found += _of_way(inside[-1])
    return found


def _leaves(statement: Node) -> bool:
    """Tell whether a `break` in a statement may leave what is around that."""
    return any(one.type == "break_statement" for one in own_nodes(statement))


def _of_way(way: Node | None, without: Node | None = None) -> list[Node]:
    """Return the statements with which one way through a statement may end; `without` where there is no such way."""
    if way is None:
        return [without] if without is not None else []
    if way.type == "statement_block":
        return last_statements(way)
    if way.type == "if_statement":
        other = way.child_by_field_name("alternative")
        return [*_of_way(way.child_by_field_name("consequence")), *_of_way(other and other.named_children[0], way)]
    return [way]


def _outermost(statement: Node) -> Node:
    """Return the first `if` of a chain of `else if`."""
    while statement.parent.type == "else_clause":
        statement = statement.parent.parent
    return statement


def _statements(block: Node) -> list[Node]:
    value = block.child_by_field_name("value") if block.type == "switch_case" else None
    return [one for one in block.named_children if one.type != "comment" and one != value]


def _child(node: Node, kind: str) -> Node | None:
    return next((one for one in node.named_children if one.type == kind), None)


def may_both_run(one: Node, later: Node) -> bool:
    """Tell whether two expressions may be evaluated in the same call, the second behind the first.

    They are not where a choice stands between them, or where what the first stands in ends the function.
    """
    around: list[Node] = [one]
    while around[-1].parent is not None:
        around.append(around[-1].parent)
    ids = {node.id: at for at, node in enumerate(around)}
    below = later
    while below.parent is not None and below.parent.id not in ids:
        below = below.parent
    common = below.parent
    if common is None:
        return True
    mine = around[ids[common.id] - 1]
    if common.type in ("if_statement", "ternary_expression"):
        condition = common.child_by_field_name("condition")
        if condition not in (mine, below) and mine != below:
            return False
    between = around[: ids[common.id] + 1]
    if any(node.type == "try_statement" for node in between):  # what fails there goes on where it is caught
        return True
    return not any(node.type == "statement_block" and _is_a_branch(node) and _ends(node) for node in between[:-1])


def _is_a_branch(block: Node) -> bool:
    return bool(block.parent.type in ("if_statement", "else_clause"))


def _ends(block: Node) -> bool:
    inside = [one for one in block.named_children if one.type != "comment"]
    return bool(inside) and inside[-1].type in ("return_statement", "throw_statement")


def only_value(scopes: Scopes, name: Node) -> Node | None:
    """Return what a constant is declared with."""
    binding = scopes.of(name)
    if binding is None or binding.writes or len(binding.declared) != 1:
        return None
    above = binding.declared[0].parent
    if above.type != "variable_declarator" or above.child_by_field_name("name") != binding.declared[0]:
        return None
    return above.child_by_field_name("value")
