"""The JSON Schema (2020-12) of profile files, made from the models that check them."""

from __future__ import annotations

from typing import Any

from vast_ferry.hub.fields import DONE, EVENTS, HTTP_REPLY
from vast_ferry.mapping.lenses.every import LENSES
from vast_ferry.profiles.schema import ProfileModel


def profile_schema() -> dict[str, Any]:
    """Return the schema; hub fields and lenses come as examples, which editors offer for completion."""
    schema = ProfileModel.model_json_schema(by_alias=True)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "A provider's profile"
    # What a profile extends may stand in the other's file.
    schema["if"] = {"required": ["extends"]}
    schema["else"] = {"required": schema.pop("required")}
    row = schema["$defs"]["RowModel"]["properties"]
    fields = dict.fromkeys([*(name for fields in EVENTS.values() for name in fields), *HTTP_REPLY, *DONE])
    row["is"]["examples"] = list(fields)
    row["as"]["examples"] = list(LENSES)
    return schema
