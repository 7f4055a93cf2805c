"""A project's HTTP functions as an OpenAPI 3.1 description, and routes read from one.

Captures of the rest of a path have no word in OpenAPI: they are written as one parameter, with `x-takes-the-rest`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import Document
from vast_ferry.documents.json_file import read_json, write_json
from vast_ferry.documents.yaml_file import read_yaml, write_yaml
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Project, RouteTrigger

METHODS: Final = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
_SCHEMAS: Final = {
    "int": {"type": "integer"},
    "word": {"type": "string", "pattern": "^[A-Za-z0-9]+$"},
    "uuid": {"type": "string", "format": "uuid"},
}
_REST: Final = "x-takes-the-rest"
_SECURITY: Final = {
    "key": {"type": "apiKey", "in": "header", "name": "Authorization"},
    "principal": {"type": "http", "scheme": "bearer"},
}


def describe(project: Project) -> dict[str, Any]:
    """Return the OpenAPI 3.1.0 description of a project's HTTP functions, as plain data.

    A route for any method is described for each that OpenAPI has; methods that it has not are left out.
    """
    paths: dict[str, dict[str, Any]] = {}
    used: set[str] = set()
    names: dict[str, int] = {}
    for function in project.functions:
        for trigger in function.routes:
            item = paths.setdefault(re.sub(r"\{\+?(\w+)\}", r"{\1}", trigger.route), {})
            methods = [method.lower() for method in trigger.methods] or list(METHODS)
            for method in methods:
                if method not in METHODS or method in item:
                    continue
                count = names[function.name] = names.get(function.name, 0) + 1
                operation: dict[str, Any] = {"operationId": function.name + (f"_{count}" if count > 1 else "")}
                parameters = list(_parameters(trigger))
                if parameters:
                    operation["parameters"] = parameters
                operation["responses"] = {"default": {"description": f"What {function.name} answers."}}
                if trigger.callers in _SECURITY:
                    operation["security"] = [{trigger.callers: []}]
                    used.add(trigger.callers)
                item[method] = operation
    made: dict[str, Any] = {
        "openapi": "3.1.0",
        "info": {"title": project.name or "functions", "version": "1"},
        "paths": paths,
    }
    if used:
        made["components"] = {"securitySchemes": {name: _SECURITY[name] for name in sorted(used)}}
    return made


def _parameters(trigger: RouteTrigger) -> Iterator[dict[str, Any]]:
    for plus, name in re.findall(r"\{(\+?)(\w+)\}", trigger.route):
        schema = _SCHEMAS.get(trigger.types.get(name, ""), {"type": "string"})
        yield {"name": name, "in": "path", "required": True, "schema": schema, **({_REST: True} if plus else {})}


def write_openapi(project: Project, path: Path) -> str:
    """Return a description as text, JSON or YAML by the file's name."""
    if path.suffix not in (".json", ".yaml", ".yml"):
        raise BadInput(f"{path} is no kind of description", "Name it FILE.yaml or FILE.json")
    data = describe(project)
    return write_json(data) if path.suffix == ".json" else write_yaml(data)


@dataclass(frozen=True, slots=True)
class Described:
    """One operation of a description: its name, the route, and JSON Schemas by what they are of.

    `schemas` has `request`, `reply STATUS` and `query NAME`, references within the document resolved.
    """

    name: str
    trigger: RouteTrigger
    schemas: Mapping[str, Any] = field(default_factory=dict)


def read_openapi(path: Path, shown: str = "") -> list[Described]:
    """Return the operations that a description declares: routes, and schemas of what goes in and comes out.

    Raises BadInput, with file and line, for what is no OpenAPI 3 description.
    """
    shown = shown or str(path)
    read = read_json if path.suffix == ".json" else read_yaml
    document = read(path, shown, "the description")
    top = document.data
    if not isinstance(top, dict) or not str(top.get("openapi", "")).startswith("3."):
        raise BadInput("this is no OpenAPI 3 description", "It begins with `openapi: 3.1.0`", document.place())
    paths = top.get("paths", {})
    if not isinstance(paths, dict):
        raise BadInput("paths is not a mapping", "Describe a path a key", document.place("paths"))
    found = []
    for route, item in paths.items():
        if not isinstance(item, dict) or not str(route).startswith("/"):
            raise BadInput(f"{route!r} is no path", "Begin it with a slash", document.place("paths", route))
        for method in METHODS:
            if method in item:
                found.append(_operation(document, str(route), method, item))
    return found


def _contents(operation: dict[str, Any], document: Document) -> dict[str, Any]:
    """Return the schemas of a request's content and of what is answered, by status."""
    replies = operation.get("responses")
    told = {"request": operation.get("requestBody")}
    told |= {f"reply {status}": reply for status, reply in (replies if isinstance(replies, dict) else {}).items()}
    schemas = {name: _schema(one, document) for name, one in told.items()}
    return {name: schema for name, schema in schemas.items() if schema is not None}


def _operation(document: Document, route: str, method: str, item: dict[str, Any]) -> Described:
    operation = item[method]
    place = document.place("paths", route, method)
    if not isinstance(operation, dict):
        raise BadInput(f"{method} of {route} is not a mapping", "Describe the operation there", place)
    listed = [*_list(item.get("parameters")), *_list(operation.get("parameters"))]
    resolved = [one for one in (_resolved(one, document) for one in listed) if isinstance(one, dict)]
    schemas = {f"query {one.get('name', '')}": one.get("schema", {}) for one in resolved if one.get("in") == "query"}
    schemas |= _contents(operation, document)
    types: dict[str, str] = {}
    template = route
    for parameter in resolved:
        if parameter.get("in") != "path":
            continue
        name, schema = str(parameter.get("name", "")), parameter.get("schema", {})
        if f"{{{name}}}" not in route:
            raise BadInput(f"the parameter {name!r} is not in the path {route}", "Correct the name", place)
        kind = next((kind for kind, known in _SCHEMAS.items() if schema == known), "")
        if kind:
            types[name] = kind
        if parameter.get(_REST):
            template = template.replace(f"{{{name}}}", f"{{+{name}}}")
    security = [next(iter(one), "") for one in _list(operation.get("security")) if isinstance(one, dict)]
    callers = next((name for name in security if name in _SECURITY), "")
    name = str(operation.get("operationId", f"{method} {route}"))
    return Described(name, RouteTrigger(template, (method.upper(),), callers, types, place=place), schemas)


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _schema(body: Any, document: Document) -> Any:
    """Return the schema of a content, the JSON one where there are several."""
    body = _resolved(body, document)
    content = body.get("content") if isinstance(body, dict) else None
    if not isinstance(content, dict) or not content:
        return None
    media = next((name for name in content if "json" in str(name)), next(iter(content)))
    told = content[media]
    return told.get("schema") if isinstance(told, dict) else None


def _resolved(value: Any, document: Document, above: tuple[str, ...] = ()) -> Any:
    """Return a value with what it refers to in the same document in place; what refers to itself stays a reference."""
    if isinstance(value, list):
        return [_resolved(item, document, above) for item in value]
    if not isinstance(value, dict):
        return value
    target = value.get("$ref")
    if not isinstance(target, str):
        return {key: _resolved(item, document, above) for key, item in value.items()}
    if target in above:
        return value
    found: Any = document.data
    for part in target.removeprefix("#/").split("/") if target.startswith("#/") else ["\0"]:
        key = part.replace("~1", "/").replace("~0", "~")
        if not isinstance(found, dict) or key not in found:
            what = f"{target!r} refers to nothing in the description"
            raise BadInput(what, "Correct the reference, or bring what it means into the file", document.place())
        found = found[key]
    return _resolved(found, document, (*above, target))
