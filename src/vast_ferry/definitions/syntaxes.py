"""The syntaxes in which definitions are written: which one a file has, and how it is read."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from vast_ferry.documents.document import Document
from vast_ferry.documents.ini_file import read_ini
from vast_ferry.documents.json_file import read_json
from vast_ferry.documents.lines_file import LineForm, read_lines
from vast_ferry.documents.toml_file import read_toml
from vast_ferry.documents.xml_file import read_xml
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.profiles.schema_definition import DefinitionModel, LineModel

#: syntax → how to read it
READERS: Final = {"yaml": read_yaml, "toml": read_toml, "json": read_json, "ini": read_ini, "xml": read_xml}
#: ending of a file → the syntax in which it is written, whatever that of the definition is
_ENDINGS: Final = {"yaml": "yaml", "yml": "yaml", "toml": "toml", "json": "json", "ini": "ini", "xml": "xml"}


def syntax_of(file: str, usual: str) -> str:
    """Return the syntax in which a file of a definition is written, as its ending tells it."""
    return _ENDINGS.get(file.rpartition(".")[2], usual)


def line_forms(models: Sequence[LineModel]) -> tuple[LineForm, ...]:
    """Return the forms of lines that a profile has; raises LineFormError for a text that is none."""
    return tuple(LineForm(one.says, one.under, line_forms(one.lines), one.ends) for one in models)


def read_document(path: Path, shown: str, what: str, model: DefinitionModel, syntax: str = "") -> Document:
    """Return the document in a file of a definition, of its own syntax or of another."""
    if (syntax or model.syntax) == "lines":
        return read_lines(path, shown, what, line_forms(model.lines), model.comment)
    return READERS[syntax or model.syntax](path, shown, what)
