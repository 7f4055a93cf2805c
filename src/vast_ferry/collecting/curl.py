"""Requests that are written as command lines of curl: nothing is sent, nothing is run.

What curl sends by itself (a user agent of its version) is left out; `Accept: */*` and the type of a form stay. Files
that are sent are read, where they lie beside the file that the line stands in.
"""

from __future__ import annotations

import base64
import hashlib
import mimetypes
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final
from urllib.parse import quote_plus

from vast_ferry.collecting.found import Found, request_of
from vast_ferry.collecting.shell_words import commands
from vast_ferry.hub.findings import BadInput, Place

#: short → long
_SHORT: Final = {
    "X": "request", "H": "header", "d": "data", "F": "form", "b": "cookie", "u": "user", "G": "get", "I": "head",
    "A": "user-agent", "e": "referer", "T": "upload-file", "o": "output", "w": "write-out", "m": "max-time",
    "x": "proxy", "c": "cookie-jar", "D": "dump-header", "K": "config", "E": "cert", "s": "silent", "S": "show-error",
    "f": "fail", "i": "include", "v": "verbose", "k": "insecure", "L": "location", "N": "no-buffer", "g": "globoff",
    "O": "remote-name", "4": "ipv4", "6": "ipv6", "#": "progress-bar", "q": "disable", "0": "http1.0",
    "j": "junk-session-cookies", "J": "remote-header-name",
}  # fmt: skip
_DATA: Final = ("data", "data-ascii", "data-raw", "data-binary", "data-urlencode", "json")
#: Options that take a value and say how a request is made, not what it says.
_HOW: Final = frozenset(
    (  # noqa: SIM905
        "output write-out max-time proxy cookie-jar dump-header config cert cert-type key key-type cacert capath pass "
        "retry retry-delay retry-max-time connect-timeout resolve connect-to interface limit-rate speed-limit "
        "speed-time trace trace-ascii stderr ciphers tls-max tls13-ciphers proxy-user proxy-header noproxy dns-servers "
        "keepalive-time unix-socket local-port max-redirs max-filesize rate output-dir netrc-file"
    ).split()
)
#: Those that take none.
_FLAGS: Final = frozenset(
    (  # noqa: SIM905
        "silent show-error fail fail-with-body include verbose insecure location location-trusted no-buffer globoff "
        "remote-name remote-name-all ipv4 ipv6 progress-bar disable junk-session-cookies http1.0 http1.1 http2 "
        "http2-prior-knowledge http3 compressed tlsv1.2 tlsv1.3 ssl-reqd keepalive path-as-is create-dirs netrc "
        "netrc-optional progress-meter parallel retry-all-errors retry-connrefused tcp-nodelay anyauth basic digest "
        "ntlm negotiate post301 post302 post303 remote-header-name raw styled-output sessionid xattr tr-encoding"
    ).split()
)
_SAYS: Final = frozenset(
    ("request", "header", "form", "form-string", "cookie", "user", "user-agent", "referer", "url", "upload-file")
    + ("oauth2-bearer",)
)
_UNKNOWN: Final = "Leave it out, if it says nothing of the request"


@dataclass(slots=True)
class _Asked:
    """What one command line asks for."""

    place: Place
    folder: Path | None
    urls: list[str] = field(default_factory=list)
    method: str = ""
    headers: list[str] = field(default_factory=list)
    data: list[bytes] = field(default_factory=list)
    parts: list[bytes] = field(default_factory=list)  # of a form of several parts
    upload: bytes | None = None
    flags: set[str] = field(default_factory=set)
    notes: list[str] = field(default_factory=list)
    types: list[tuple[str, str]] = field(default_factory=list)

    def file(self, name: str) -> bytes:
        """Return what is in a file that is sent; raises BadInput where it is none beside the line."""
        if name == "-" or self.folder is None:
            raise BadInput(
                "what is sent comes from standard input, which is not here", "Put it into a file", self.place
            )
        path = (self.folder / name).resolve()
        if not path.is_relative_to(self.folder.resolve()) or not path.is_file():
            raise BadInput(f"the file {name} that is sent is not beside this one", "Put it there", self.place)
        return path.read_bytes()


def curl_requests(text: str, shown: str, folder: Path | None) -> Iterator[Found]:
    """Yield the requests of every curl command in a text; `folder` is where files that are sent lie.

    Raises BadInput with the line of an option that is not known, a quote that is not closed, a file that is not there.
    """
    for line, words in commands(text, shown):
        own = next((at for at, word in enumerate(words) if word not in ("$", "sudo", "time", "exec")), 0)
        if Path(words[own]).name in ("curl", "curl.exe"):
            yield from _requests(words[own + 1 :], Place(shown, line), folder)


def _requests(words: list[str], place: Place, folder: Path | None) -> Iterator[Found]:
    asked = _Asked(place, folder)
    for option, value in _options(words, place):
        _TAKEN.get(option, _flagged)(asked, option, value)
    if not asked.urls:
        raise BadInput("this curl command names no URL", "Paste the whole line", place)
    for url in asked.urls:
        yield _request(asked, url)


def _options(words: list[str], place: Place) -> Iterator[tuple[str, str]]:
    """Yield option and value; a URL is the value of `url`."""
    waiting = list(reversed(words))

    def value(of: str) -> str:
        if not waiting:
            raise BadInput(f"curl's option {of} lacks its value", "Paste the whole line", place)
        return waiting.pop()

    while waiting:
        word = waiting.pop()
        if word == "--":
            continue
        if word.startswith("--"):
            name, mark, given = word[2:].partition("=")
            if name in ("get", "head", *_FLAGS) or name.removeprefix("no-") in _FLAGS:
                yield name, ""
            elif name in _SAYS or name in _DATA or name in _HOW:
                yield name, given if mark else value(word)
            else:
                raise BadInput(
                    f"curl's option {word} is not known here", "Leave it out, if it says nothing of the request", place
                )
        elif word.startswith("-") and len(word) > 1:
            yield from _short(word, place, value)
        else:
            yield "url", word


def _short(word: str, place: Place, value: Callable[[str], str]) -> Iterator[tuple[str, str]]:
    """Yield the options of a word such as `-sXPOST`."""
    for at, letter in enumerate(word[1:], 1):
        name = _SHORT.get(letter, "")
        if not name:
            raise BadInput(
                f"curl's option -{letter} is not known here", "Leave it out, if it says nothing of the request", place
            )
        if name in ("get", "head") or name in _FLAGS:
            yield name, ""
            continue
        yield name, word[at + 1 :] or value(f"-{letter}")
        return


# --- what options say ---


def _flagged(asked: _Asked, option: str, _: str) -> None:
    asked.flags.add(option)


def _url(asked: _Asked, _: str, value: str) -> None:
    asked.urls.append(value)


def _method(asked: _Asked, _: str, value: str) -> None:
    asked.method = value


def _header(asked: _Asked, _: str, value: str) -> None:
    if value.startswith("@"):
        asked.headers += asked.file(value[1:]).decode("utf-8", "replace").splitlines()
    else:
        asked.headers.append(value)


def _data(asked: _Asked, option: str, value: str) -> None:
    if option == "data-urlencode":
        asked.data.append(_encoded(asked, value))
    elif value.startswith("@") and option != "data-raw":
        content = asked.file(value[1:])
        asked.data.append(content if option in ("data-binary", "json") else content.translate(None, b"\r\n\0"))
    else:
        asked.data.append(value.encode("utf-8", "surrogateescape"))
    if option == "json":
        asked.types = [("content-type", "application/json"), ("accept", "application/json")]


def _encoded(asked: _Asked, value: str) -> bytes:
    marks = [at for at in (value.find("="), value.find("@")) if at >= 0]
    at = min(marks, default=-1)
    name, content = (value[:at], value[at + 1 :]) if at >= 0 else ("", value)
    raw = asked.file(content) if at >= 0 and value[at] == "@" else content.encode()
    return f"{name}{'=' * bool(name)}{quote_plus(raw)}".encode()


def _form(asked: _Asked, option: str, value: str) -> None:
    name, mark, content = value.partition("=")
    if not mark:
        raise BadInput(f"curl's --form {value!r} says no value", "Write NAME=VALUE", asked.place)
    said = {}
    if option == "form" and content[:1] in "@<" and content:
        content, *more = content.split(";")
        said = dict(one.strip().partition("=")[::2] for one in more)
        raw = asked.file(content[1:].strip('"'))
    else:
        if option == "form":
            content, *more = content.split(";type=")
            said = {"type": more[0]} if more else {}
        raw = content.encode()
    head = f'content-disposition: form-data; name="{name}"'
    if option == "form" and content[:1] == "@":
        file = said.get("filename", Path(content[1:].strip('"')).name).strip('"')
        head += f'; filename="{file}"\r\ncontent-type: '
        head += said.get("type") or mimetypes.guess_type(file)[0] or "application/octet-stream"
    elif "type" in said:
        head += f"\r\ncontent-type: {said['type']}"
    asked.parts.append(f"{head}\r\n\r\n".encode() + raw)


def _cookie(asked: _Asked, _: str, value: str) -> None:
    if "=" in value:
        asked.headers.append(f"Cookie: {value}")
    else:
        asked.notes.append(f"cookies that curl keeps in {value}")


def _user(asked: _Asked, option: str, value: str) -> None:
    asked.notes.append("a bearer token" if option == "oauth2-bearer" else "name and password (-u)")


def _agent(asked: _Asked, _: str, value: str) -> None:
    asked.headers.append(f"User-Agent: {value}")


def _referer(asked: _Asked, _: str, value: str) -> None:
    asked.headers.append(f"Referer: {value.removesuffix(';auto')}")


def _upload(asked: _Asked, _: str, value: str) -> None:
    asked.upload = asked.file(value)


def _passed(asked: _Asked, _: str, value: str) -> None:
    """Take no note of what says how a request is made."""


_TAKEN: Final[dict[str, Callable[[_Asked, str, str], None]]] = {
    "url": _url, "request": _method, "header": _header, "form": _form, "form-string": _form, "cookie": _cookie,
    "user": _user, "oauth2-bearer": _user, "user-agent": _agent, "referer": _referer, "upload-file": _upload,
    **dict.fromkeys(_DATA, _data), **dict.fromkeys(_HOW, _passed),
}  # fmt: skip


def _request(asked: _Asked, url: str) -> Found:
    if "globoff" not in asked.flags and any(mark in url for mark in "[]{}"):
        raise BadInput(
            f"curl makes several requests of {url!r}",
            "Write each by itself, or add -g where the brackets are meant",
            asked.place,
        )
    body, typed, method = b"&".join(asked.data), "application/x-www-form-urlencoded", "POST"
    if asked.types:  # --json joins without a sign between
        body, typed = b"".join(asked.data), asked.types[0][1]
    if asked.parts:
        mark = f"form-{hashlib.sha256(b''.join(asked.parts)).hexdigest()[:16]}"
        body = b"".join(f"--{mark}\r\n".encode() + one + b"\r\n" for one in asked.parts) + f"--{mark}--\r\n".encode()
        typed = f"multipart/form-data; boundary={mark}"
    if asked.upload is not None:
        body, typed, method = asked.upload, "", "PUT"
    sends = bool(asked.data or asked.parts or asked.upload is not None)
    if "get" in asked.flags and asked.data:
        url = url.partition("#")[0]
        url += ("&" if "?" in url else "?") + body.decode("utf-8", "replace")
        body, sends = b"", False
    usual = method if sends else "HEAD" if "head" in asked.flags else "GET"
    accept = asked.types[1] if asked.types else ("accept", "*/*")
    headers = [accept, *([("content-type", typed)] if sends and typed else [])]
    for line in asked.headers:
        name, mark, value = line.partition(":")
        own, empty = name.strip().rstrip(";").lower(), name.strip().endswith(";") and not mark
        if own in ("accept", "content-type", "host", "user-agent", "referer"):
            headers = [one for one in headers if one[0] != own]
        if value.strip() or empty:
            headers.append((own, value.strip()))
    made, notes = request_of(asked.method or usual, url, headers, body, asked.place)
    return Found(asked.place, made, notes=(*asked.notes, *notes))


def as_curl(method: str, url: str, headers: list[tuple[str, str]], body: bytes) -> str:
    """Return the command line that sends a request, each word in single quotes where it needs them."""
    words = ["curl", "-i"]
    if method == "HEAD":
        words.append("-I")
    elif method != ("POST" if body else "GET"):
        words += ["-X", method]
    words.append(url)
    for name, value in headers:
        words += ["-H", f"{name}: {value}" if value else f"{name};"]
    told = {name for name, _ in headers}
    if "accept" not in told:
        words += ["-H", "accept:"]
    if body and "content-type" not in told:
        words += ["-H", "content-type:"]
    lines = " ".join(map(_quoted, words))
    if not body:
        return lines
    try:
        text = body.decode("utf-8")
        if "\0" not in text and not text.startswith("@"):
            return f"{lines} --data-binary {_quoted(text)}"
    except UnicodeDecodeError:
        pass
    return f"printf %s {base64.b64encode(body).decode('ascii')} | base64 -d | {lines} --data-binary @-"


def _quoted(word: str) -> str:
    safe = word and all(one.isalnum() or one in "-._/:=@%+," for one in word)
    return word if safe else "'" + word.replace("'", "'\\''") + "'"
