"""Writes docs/profiles.md from the code, so that it can't drift: python tools/make_reference.py [--check]."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from vast_ferry.definitions.forms import FORMS
from vast_ferry.hub.fields import HTTP_EVENT, HTTP_REPLY, Field
from vast_ferry.mapping.codecs import CODECS
from vast_ferry.mapping.tables import TESTS
from vast_ferry.providers import schema

FILE = Path(__file__).parent.parent / "docs" / "profiles.md"

HEAD = """# Profiles

*Made by `python tools/make_reference.py`; the tests fail when it is stale.*

A profile is one YAML file that describes one edition of one provider. From it come the translator, the stand-in that
calls handlers as the provider does, and what the provider's shapes can't hold. No Python is written for a provider.
`examples/a_provider_of_your_own.py` is a whole one; the ones that ship are in `src/vast_ferry/providers/profiles/`.

## Rows

A row ties a native **place** to a **hub field** through a **codec**, and works both ways:

```yaml
- {at: 'event["call"]["verb"]', is: method}
- {at: 'event["content"]', is: body, as: text_or_base64, flag: 'event["packed"]'}
- {at: 'event["call"]["first"]', is: query, as: first_values, derived: true}
```

A place is an access path from a parameter: `["item"]`, `.attribute`, `.method()`, and for what a handler calls,
`.method(text, **more)`. On file (samples, `event convert`) attributes and items are keys, and a method is kept under
`name()`. Each field is read at one place; places that only show a field again are `derived`. Where a shape has only a
view of a truth (decoded pairs, say, and no raw query), the other form is worked out, and what that loses is told.
"""


def table(header: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> str:
    """Return a Markdown table."""
    lines = [header, tuple("---" for _ in header), *rows]
    return "\n".join("| " + " | ".join(cell.replace("|", "\\|") for cell in line) + " |" for line in lines)


def keys(model: type[schema.Model]) -> str:
    """Return the keys that a part of a profile takes."""
    rows = [
        (f"`{field.alias or name}`", "yes" if field.is_required() else "", field.description or "")
        for name, field in model.model_fields.items()
    ]
    return table(("key", "must be there", "meaning"), rows)


def fields(known: dict[str, Field]) -> str:
    """Return hub fields with what they hold."""
    return table(
        ("field", "holds", "", "meaning"),
        [(f"`{f.name}`", f.holds, "truth" if f.truth else "view", f.meaning) for f in known.values()],
    )


def first_line(thing: type) -> str:
    """Return the first line of a docstring."""
    return (thing.__doc__ or "").strip().splitlines()[0]


def main() -> int:
    """Write the file, or with --check say whether it is stale."""
    codecs = [
        (f"`{name}`", codec.takes, " or ".join(codec.holds) or "anything", first_line(codec))
        for name, codec in CODECS.items()
    ]
    forms = [(f"`{name}`", form.wants, first_line(form)) for name, form in FORMS.items()]
    tests = [(f"`{name}`", f"`{test.format('reply', 'Class')}`") for name, test in TESTS.items()]
    parts = [
        HEAD,
        "### What a row may say\n",
        keys(schema.RowModel),
        "\n## Hub fields of an HTTP event, and what a handler may call\n",
        fields(dict(HTTP_EVENT)),
        "\n## Hub fields of an HTTP reply\n",
        fields(dict(HTTP_REPLY)),
        "\nA reply has one or more `forms`, told apart in order by `when`; exactly one is `written: true`.\n",
        table(("when", "told by"), tests),
        "\n## Codecs\n",
        table(("codec", "takes", "for", "form"), codecs),
        "\n## The whole file\n",
        keys(schema.ProfileModel),
        "\n### `handler`\n",
        keys(schema.HandlerModel),
        "\n### A form of a reply\n",
        keys(schema.FormModel),
        "\n## Definitions\n",
        "Rows of `definition.functions` tie keys of a function in the definition file to fields of the hub's function:",
        "`entry`, `language`, `memory`, `timeout`, `variables`, `secrets`; those of a trigger to `route`, `methods`,",
        "`callers`, or both at once as `methods_and_route`. A row without `is` is known, and not carried.\n",
        table(("form", "takes", "meaning"), forms),
    ]
    text = "\n".join(parts) + "\n"
    if "--check" in sys.argv:
        return 0 if FILE.is_file() and FILE.read_text(encoding="utf-8") == text else 1
    FILE.write_text(text, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
