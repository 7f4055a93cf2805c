"""What is private, out of what is kept: credentials left out by name, named fields made up in the same form.

A made-up value has a digit for each digit and a letter for each letter, and is the same for the same value within one
run, so that what belonged together still does; the key by which it is made is thrown away.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import re
import secrets
from collections.abc import Collection
from dataclasses import replace
from typing import Any, Final
from urllib.parse import parse_qsl, urlencode

from vast_ferry.hub.http import HttpEvent

#: Header fields that say who someone is (RFC 9110 §11), and what such fields are usually called.
_CREDENTIALS: Final = re.compile(
    r"^(authorization|proxy-authorization)$|(api[-_]?key|token|secret|password)", re.IGNORECASE
)


class Redactor:
    """Replaces the values of named fields, wherever they stand."""

    def __init__(self, names: Collection[str] = ()) -> None:
        self.names = frozenset(name.lower() for name in names)
        self._key = secrets.token_bytes(32)
        self.met: set[str] = set()  # names that were found

    def made_up(self, value: str) -> str:
        """Return a value of the same form: digits for digits, letters for letters, all else as it is."""
        stream = b""
        number = 0
        made = []
        for at, one in enumerate(value):
            if at >= len(stream):
                stream += hmac.digest(
                    self._key, value.encode("utf-8", "surrogatepass") + bytes([number & 255]), hashlib.sha256
                )
                number += 1
            byte = stream[at]
            if one.isdigit():
                made.append(str(byte % 10))
            elif one.isalpha():
                letter = chr(ord("a") + byte % 26)
                made.append(letter.upper() if one.isupper() else letter)
            else:
                made.append(one)
        return "".join(made)

    def form_of(self, value: str) -> str:
        """Return what a value has in common with every one that may be made up for it."""
        return "".join("0" if one.isdigit() else "a" if one.isalpha() else one for one in value)

    def request(self, event: HttpEvent) -> tuple[HttpEvent, list[str]]:
        """Return a request without credentials, with cookies and named fields made up; and what was left out."""
        left: list[str] = []
        headers = []
        for name, value in event.headers:
            if _CREDENTIALS.search(name):
                left.append(name)
            elif name == "cookie":
                headers.append((name, self._cookies(value)))
                left.append("values of cookies")
            elif name.lower() in self.names:
                self.met.add(name.lower())
                headers.append((name, self.made_up(value)))
            else:
                headers.append((name, value))
        query = event.query
        if any(_CREDENTIALS.search(name) for name, _ in parse_qsl(query, keep_blank_values=True)):
            left.append("credentials in the query")
            query = self._pairs(query, credentials=True)
        elif self.names:
            query = self._pairs(query)
        typed = next((value for name, value in event.headers if name == "content-type"), "")
        body = self._body(event.body, typed) if self.names else event.body
        return replace(event, headers=headers, query=query, body=body), left

    def value(self, data: Any) -> Any:
        """Return a JSON value in which what stands under a name, at any depth, is made up."""
        if isinstance(data, dict):
            return {key: self._hidden(one) if self._is_named(key) else self.value(one) for key, one in data.items()}
        return [self.value(one) for one in data] if isinstance(data, list) else data

    def _is_named(self, name: str) -> bool:
        found = name.lower() in self.names
        if found:
            self.met.add(name.lower())
        return found

    def _hidden(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {key: self._hidden(one) for key, one in value.items()}
        if isinstance(value, list):
            return [self._hidden(one) for one in value]
        if isinstance(value, bool) or value is None:
            return value
        if isinstance(value, int | float):
            return json.loads(re.sub(r"^(-?)0+(?=\d)", r"\1", self.made_up(json.dumps(value))))
        return self.made_up(value)

    def _cookies(self, value: str) -> str:
        pairs = [one.strip().partition("=") for one in value.split(";")]
        return "; ".join(f"{name}={self.made_up(held)}" if mark else name for name, mark, held in pairs)

    def _pairs(self, text: str, *, credentials: bool = False) -> str:
        made, changed = [], False
        for name, value in parse_qsl(text, keep_blank_values=True):
            named = self._is_named(name)
            if credentials and _CREDENTIALS.search(name):
                changed = True
                continue
            changed = changed or named
            made.append((name, self.made_up(value) if named else value))
        return urlencode(made) if changed else text

    def _body(self, body: bytes, typed: str) -> bytes:
        try:
            text = body.decode("utf-8")
            if "json" in typed or text.lstrip()[:1] in ("{", "["):
                before = json.loads(text)
                after = self.value(before)
                return (
                    body if after == before else json.dumps(after, ensure_ascii=False).encode("utf-8", "surrogatepass")
                )
            if typed.startswith("application/x-www-form-urlencoded"):
                return self._pairs(text).encode()
        except ValueError:
            pass
        return body


class Forms(Redactor):
    """Says of what was made up at another time whether it may be the same: by its form alone."""

    def made_up(self, value: str) -> str:
        """Return the value's form."""
        return self.form_of(value)
