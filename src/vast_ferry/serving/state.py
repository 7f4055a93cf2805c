"""What services hold while a project runs: objects and records, changed by what handlers do; and the events that makes.

Everything is plain data. Kept in a folder it is one file a service, which can be looked at and changed by hand.
"""

from __future__ import annotations

import hashlib
import json
import os
import uuid
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from vast_ferry.hub.fields import EVENTS, OF_THE_CALL
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.operations import Effect
from vast_ferry.mapping.helpers import bytes_on_file, file_bytes

#: The files that a state's folder has.
FILES: Final = {"objects": "objects.json", "records": "records.json"}


def now() -> str:
    """Return the time, as events tell it: RFC 3339, in UTC, with milliseconds."""
    return datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def event_of(kind: str, **told: Any) -> dict[str, Any]:
    """Return an event of a kind as hub fields: what is told of it, an identity, the time, everything else as usual."""
    fields = {name: one.default_value for name, one in EVENTS[kind].items() if one.truth and name not in OF_THE_CALL}
    return {**fields, "id": uuid.uuid4().hex, "time": now(), **told}


@dataclass(slots=True)
class State:
    """Objects by bucket and key, records by table and key; `folder` is where they are kept, if anywhere."""

    folder: Path | None = None
    objects: dict[tuple[str, str], dict[str, Any]] = field(default_factory=dict)
    records: dict[tuple[str, str], dict[str, Any]] = field(default_factory=dict)
    changes: int = 0

    def before(self) -> dict[str, Any]:
        """Return what services hold, as a call is told of it."""
        return {"objects": list(self.objects.values()), "records": list(self.records.values())}

    def did(self, effect: Effect) -> Iterator[tuple[str, dict[str, Any]]]:
        """Take in what a handler did; yield the events that it causes, each with its kind."""
        does = getattr(self, f"_{effect.operation.replace('.', '_')}", None)
        if does is not None:
            yield from does(effect.fields)

    # --- operations ---

    def _object_write(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        body = hub["body"]
        one: dict[str, Any] = {"content_type": hub.get("content_type") or "", "labels": hub.get("labels") or {}}
        self.objects[hub["bucket"], hub["key"]] = {"bucket": hub["bucket"], "key": hub["key"], "body": body, **one}
        tag = hashlib.sha256(body).hexdigest()[:16]
        told = {"bucket": hub["bucket"], "key": hub["key"], "size": len(body), "etag": tag, **one}
        yield "object", event_of("object", change="created", **told)

    def _object_delete(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        if self.objects.pop((hub["bucket"], hub["key"]), None) is not None:
            yield "object", event_of("object", change="deleted", bucket=hub["bucket"], key=hub["key"])

    def _message_send(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        names = ("channel", "body", "content_type", "attributes", "group")
        yield "message", event_of("message", **{name: hub[name] for name in names if name in hub})

    def _record_write(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        yield from self._put(hub, hub["record"])

    def _record_add(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        held = self.records.get(_at(hub), {}).get("record", {})
        yield from self._put(hub, {**held, hub["column"]: held.get(hub["column"], 0) + hub["amount"]})

    def _put(self, hub: Mapping[str, Any], record: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        old = self.records.get(_at(hub), {}).get("record")
        self.records[_at(hub)] = {"table": hub["table"], "keys": hub["keys"], "record": record}
        if old != record:
            yield "record", self._change("inserted" if old is None else "updated", hub, old, record)

    def _record_delete(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        gone = self.records.pop(_at(hub), None)
        if gone is not None:
            yield "record", self._change("deleted", hub, gone["record"], None)

    def _change(self, change: str, hub: Mapping[str, Any], old: Any, new: Any) -> dict[str, Any]:
        self.changes += 1
        told = {"table": hub["table"], "keys": hub["keys"], "old": old, "new": new}
        return event_of("record", change=change, sequence=f"{self.changes:012}", **told)

    def _signal_send(self, hub: Mapping[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
        yield "signal", event_of("signal", **{name: hub[name] for name in ("name", "subject", "data") if name in hub})

    # --- on file ---

    def load(self) -> None:
        """Read what the folder holds; raises BadInput for a file that is none of ours."""
        if self.folder is None:
            return
        for name, file in FILES.items():
            path = self.folder / file
            if not path.is_file():
                continue
            try:
                held = json.loads(path.read_text(encoding="utf-8"))
                for one in held:
                    if name == "objects":
                        one["body"] = bytes_on_file(one["body"])
                        self.objects[one["bucket"], one["key"]] = one
                    else:
                        self.records[_at(one)] = one
            except (ValueError, TypeError, KeyError) as error:
                raise BadInput(f"it holds no {name}: {error}", "Mend it, or remove it", Place(str(path))) from None

    def save(self) -> None:
        """Write what is held into the folder, each file whole or not at all."""
        if self.folder is None:
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        objects = [{**one, "body": file_bytes(one["body"])} for one in self.objects.values()]
        for name, held in (("objects", objects), ("records", list(self.records.values()))):
            path = self.folder / FILES[name]
            coming = path.with_suffix(".coming")
            coming.write_text(json.dumps(held, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
            os.replace(coming, path)


def _at(hub: Mapping[str, Any]) -> tuple[str, str]:
    return hub["table"], json.dumps(hub["keys"], sort_keys=True)
