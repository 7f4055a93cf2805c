"""Requests out of an HTTP archive (HAR 1.2): what a browser or a proxy wrote down of a session."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote_plus

from vast_ferry.collecting.found import Found, request_of
from vast_ferry.hub.findings import BadInput, Place


def is_archive(data: Any) -> bool:
    """Tell whether a JSON value is an HTTP archive."""
    return isinstance(data, dict) and isinstance(data.get("log"), dict) and "entries" in data["log"]


def archived_requests(data: Any, shown: str) -> Iterator[Found]:
    """Yield the requests of an archive; raises BadInput, with the entry's number, for one that is none."""
    entries = data["log"]["entries"]
    if not isinstance(entries, list):
        raise BadInput("log.entries of the archive is no list", "Export it again", Place(shown, 1))
    for number, entry in enumerate(entries):
        place = Place(f"{shown}, entry {number}")
        request = entry.get("request") if isinstance(entry, dict) else None
        if not isinstance(request, dict) or not isinstance(request.get("url"), str):
            raise BadInput("this entry of the archive has no request with a url", "Export it again", place)
        if not request["url"].startswith(("http://", "https://")):
            continue  # data: and the like never reach a server
        headers = [
            (str(one["name"]), str(one.get("value", "")))
            for one in request.get("headers") or []
            if isinstance(one, dict) and "name" in one
        ]
        body = _content(request.get("postData"), place)
        made, notes = request_of(str(request.get("method", "GET")), request["url"], headers, body, place)
        yield Found(place, made, notes=notes)


def _content(posted: Any, place: Place) -> bytes:
    if not isinstance(posted, dict):
        return b""
    if isinstance(posted.get("text"), str) and (posted["text"] or not posted.get("params")):
        if posted.get("encoding") == "base64":
            try:
                return base64.b64decode(posted["text"], validate=True)
            except binascii.Error:
                raise BadInput("postData.text of this entry is no Base64", "Export it again", place) from None
        return str(posted["text"]).encode("utf-8", "surrogatepass")
    pairs = [one for one in posted.get("params") or [] if isinstance(one, dict) and "name" in one]
    if any("fileName" in one for one in pairs):
        raise BadInput(
            "the archive keeps no content of the form that this entry sends", "Export it with contents", place
        )
    return "&".join(f"{quote_plus(str(one['name']))}={quote_plus(str(one.get('value', '')))}" for one in pairs).encode()
