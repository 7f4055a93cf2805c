"""JSON documents (RFC 8259) with the line and column of every part; written with two spaces an indent."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import Document, read_text
from vast_ferry.documents.yaml_file import parse_yaml
from vast_ferry.hub.findings import BadInput, Place


def read_json(path: Path, shown: str, what: str) -> Document:
    """Return the document in a file; raises BadInput with line and column where it is not JSON."""
    text = read_text(path, shown, what)
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise BadInput(
            f"{what} is not JSON: {error.msg}", "Mend it there", Place(shown, error.lineno, error.colno)
        ) from None
    except (RecursionError, ValueError) as error:
        raise BadInput(f"{what} can't be read: {error}", "Flatten it, or shorten its numbers", Place(shown)) from None
    # YAML 1.2 holds all of JSON, and its reader knows where everything stands, and refuses keys that repeat.
    return parse_yaml(text, shown, what)


def write_json(data: dict[str, Any]) -> str:
    """Return data as JSON text, in its order."""
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"
