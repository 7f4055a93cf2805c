from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl


@dataclass
class Asked:
    hive: str
    days: list[str]
    unit: str


def read(event: dict[str, Any]) -> Asked:
    call = event["call"]
    pairs = parse_qsl(call["search"], keep_blank_values=True)
    units = [value for name, value in pairs if name == "unit"]
    return Asked(call["slots"]["hive"], [value for name, value in pairs if name == "day"], units[0] if units else "kg")


def run(event: dict[str, Any], ctx: Any) -> dict[str, Any]:
    asked: Asked = read(event)
    if not asked.days:
        return {"code": 400, "content": "which day?"}
    wants: str | None = event["fields"].get("accept")
    if wants is not None and wants.startswith("text/plain"):
        return {"code": 200, "content": ", ".join(asked.days)}
    return {
        "code": 200,
        "fields": {"content-type": "application/json"},
        "content": json.dumps({"hive": asked.hive, "days": asked.days, "unit": asked.unit}),
    }
