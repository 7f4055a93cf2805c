"""Pipelines of profiles written from others' manuals against careful functions by hand: ratios within one run.

python benchmarks/forms_of_others.py
"""

from __future__ import annotations

import base64
import json
import timeit
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from vast_ferry import find_profile
from vast_ferry.events.compiled import entries_of, reader_of

MANUALS = Path(__file__).parent.parent / "tests" / "manuals"
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def _time(nanoseconds: int) -> str:
    second, rest = divmod(nanoseconds, 1_000_000_000)
    fraction = f".{rest:09d}".rstrip("0") if rest else ""
    return (EPOCH + timedelta(seconds=second)).isoformat()[:19] + fraction + "Z"


def knock(event: dict[str, Any]) -> dict[str, Any]:
    """Return what a knock of Netherby means, as one would write it."""
    one = event["knock"]
    method, _, target = one["line"].partition(" ")
    path, _, query = target.partition("?")
    tabs = one["tabs"]
    address = one["hails"].rpartition(":")[0].strip("[]")
    bearer = one["bearer"]
    principal = {"id": bearer.removeprefix("member:"), "claims": one.get("known", {})} if bearer != "-" else None
    route = one["track"].replace("+)", ")").replace("(", "{").replace(")", "}")
    names = [part[1:-1] for part in route.split("/") if part.startswith("{")]
    octets = event["octets"]
    return {
        "id": one["ref"],
        "time": _time(int(Decimal(repr(one["stamp"])) * 1_000_000_000)),
        "method": method,
        "scheme": "https" if one["tls"] else "http",
        "authority": one["host"],
        "path.raw": path,
        "query.raw": query,
        "route": route,
        "captures": dict(zip(names, one["spots"], strict=True)),
        "headers": [(name.lower(), value) for name, value in zip(tabs[::2], tabs[1::2], strict=True)],
        "body": octets.encode() if isinstance(octets, str) else base64.b64decode(octets["base64"]),
        "client": address,
        "principal": principal,
    }


def notes(event: dict[str, Any]) -> list[dict[str, Any]]:
    """Return what the notes of a load of Netherby mean."""
    made = []
    for chute, listed in event["chutes"].items():
        for note in listed:
            text = note["text"]
            sent = datetime.fromisoformat(note["sent"]).astimezone(UTC).isoformat().replace("+00:00", "Z")
            made.append(
                {
                    "id": note["ref"],
                    "time": sent,
                    "channel": chute,
                    "body": base64.b64decode(text) if note.get("coded") == "base64" else text.encode(),
                    "content_type": note.get("cloth") or "",
                    "attributes": {one["name"]: one["value"] for one in note.get("threads") or ()},
                    "group": note.get("strand") or "",
                    "attempt": int(note["passes"]) + 1,
                    "extensions": {},
                }
            )
    return made


def jar(event: dict[str, Any]) -> dict[str, Any]:
    """Return what jar news of Wexcombe means."""
    day, clock, _ = event["minute"].split(" ")
    stands, _, version = event["stands"].removeprefix("wex://").partition(";proof=")
    _, bucket, key = stands.split("/", 2)
    made = {"jar-made": "created", "jar-remade": "created", "jar-moved-in": "created", "jar-relabelled": "relabelled"}
    return {
        "id": event["chit"],
        "time": f"{day}T{clock.rstrip('0') if '.' in clock else clock}Z",
        "change": made.get(event["word"], "deleted"),
        "bucket": bucket,
        "key": unquote(key, errors="strict"),
        "size": event["weight"],
        "content_type": event["flour"] or "",
        "etag": event["crust"] or "",
        "version": version,
        "labels": dict(one.split("=", 1) for one in event["stickers"]),
        "extensions": {},
    }


CASES: list[tuple[str, str, str, Callable[[Any], Any]]] = [
    ("netherby-4", "Netherby/events/http-1.json", "http", knock),
    ("netherby-4", "Netherby/events/message-2.json", "message", notes),
    ("wexcombe-7", "Wexcombe/events/object-1.json", "object", jar),
]


def main() -> None:
    """Print how often as long the compiled reader takes."""
    for name, file, kind, by_hand in CASES:
        profile = find_profile(str(MANUALS / f"{name}.yaml"))
        event = json.loads((MANUALS / file).read_text())
        read = reader_of(profile, kind)

        def compiled(
            event: Any = event, read: Callable[[Any], Any] = read, profile: Any = profile, kind: str = kind
        ) -> list[Any]:
            return [read(entry) for entry in entries_of(event, profile, kind)]

        hand = min(timeit.repeat(partial(by_hand, event), number=2_000, repeat=7))
        ours = min(timeit.repeat(compiled, number=2_000, repeat=7))
        print(f"{name} {kind}: {ours / 2_000 * 1e6:.1f} µs, {ours / hand:.2f} × by hand ({hand / 2_000 * 1e6:.1f} µs)")


if __name__ == "__main__":
    main()
