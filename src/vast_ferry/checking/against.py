"""The samples of a project sent to an endpoint that runs, and its answers compared with the original's.

What an endpoint does behind its answers is not seen, so effects are not compared. Header fields that only the endpoint
has are the server's own, but for those that say something to a client.
"""

from __future__ import annotations

import http.client
import socket
import ssl
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Final
from urllib.parse import urlsplit

from vast_ferry.checking.calling import Where, where_of
from vast_ferry.checking.compare import Verdict, compare, nothing_to_compare
from vast_ferry.checking.proving import CallTo, gone_through
from vast_ferry.checking.result import Checked, CheckResult
from vast_ferry.checking.sides import Side, deployed
from vast_ferry.definitions.tables import route_style
from vast_ferry.hub.findings import BadInput, FerryError
from vast_ferry.hub.functions import Function
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.mapping.helpers import FRAMING
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import FOLDER, Sample, read_sample, sample_files
from vast_ferry.standins.frames import Call
from vast_ferry.standins.gateway import Gateway
from vast_ferry.standins.process import Worker
from vast_ferry.standins.scratch import scratch_folder

#: Requests that may be sent again where it is not known whether they arrived (RFC 9110 §9.2.2).
IDEMPOTENT: Final = frozenset(("GET", "HEAD", "OPTIONS", "TRACE", "PUT", "DELETE"))
_TRIES: Final = 3
_LARGEST: Final = 64 * 1024 * 1024
#: Fields that say something to a client: one more of these is a difference, any other is the server's own.
_SAYS: Final = frozenset(
    ("content-type", "content-encoding", "content-language", "location", "set-cookie", "cache-control", "etag", "vary")
    + ("last-modified", "allow", "www-authenticate", "retry-after", "accept-ranges", "content-disposition")
)


class NoAnswer(FerryError):
    """An endpoint that did not answer; the message says why."""


@dataclass(slots=True)
class Endpoint:
    """Where requests go: so many a second at most, each with so long to be answered."""

    address: str
    rate: float = 0.0
    limit: float = 10.0
    headers: Mapping[str, str] = field(default_factory=dict)
    _next: float = 0.0

    def __post_init__(self) -> None:
        parts = urlsplit(self.address)
        if parts.scheme not in ("http", "https") or not parts.hostname or parts.query or parts.fragment:
            raise BadInput(f"{self.address!r} is no address of an endpoint", "Give http:// or https:// and a host")

    def ask(self, event: HttpEvent) -> HttpReply:
        """Return the answer to a request; raises NoAnswer where there is none."""
        tries = _TRIES if event.method in IDEMPOTENT else 1
        for left in reversed(range(tries)):
            self._wait()
            try:
                return self._asked(event)
            except (OSError, http.client.HTTPException) as error:
                if not left:
                    raise NoAnswer(_why(error)) from None
        raise AssertionError("it is tried once at least")

    def _wait(self) -> None:
        if self.rate:
            time.sleep(max(0.0, self._next - time.monotonic()))
            self._next = time.monotonic() + 1 / self.rate

    def _asked(self, event: HttpEvent) -> HttpReply:
        parts = urlsplit(self.address)
        made = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
        link = made(parts.hostname or "", parts.port, timeout=self.limit)
        try:
            link.putrequest(event.method, parts.path.rstrip("/") + event.target, skip_accept_encoding=True)
            own = {name.lower() for name in self.headers}
            for name, value in event.headers:
                if name not in own:
                    link.putheader(name, value.encode("latin-1", "replace"))
            for name, value in self.headers.items():
                try:
                    link.putheader(name, value)
                except ValueError:  # whose text has the value
                    raise BadInput(f"the value for the header field {name} can't be sent", "Check it") from None
            if event.body or event.method in ("POST", "PUT", "PATCH"):
                link.putheader("content-length", str(len(event.body)))
            link.endheaders(event.body or None)
            got = link.getresponse()
            body = got.read(_LARGEST + 1)
            if len(body) > _LARGEST:
                raise http.client.HTTPException(f"it answered more than {_LARGEST:,} bytes")
            return HttpReply(got.status, [(name.lower(), value) for name, value in got.getheaders()], body)
        finally:
            link.close()


def _why(error: Exception) -> str:
    if isinstance(error, TimeoutError | socket.timeout):
        return "it did not answer in time"
    if isinstance(error, ssl.SSLError):
        return f"no secure connection: {error.reason or error}"
    return str(error) or type(error).__name__


def check_against(
    project: Path | str,
    endpoint: Endpoint,
    *,
    source: str | Profile | None = None,
    samples: Sequence[Path | str] = (),
    progress: Progress = quietly,
) -> CheckResult:
    """Return the verdict on every sample that is a request, sent to an endpoint and to the original.

    `project` is a crossing, whose original is asked, or a project itself; `samples` are single files instead of all.
    Where nothing answers a sample is `unchecked`, with the reason. Raises BadInput for a project that is not there.
    """
    where = where_of(Path(project), source, original=True)
    wanted = {Path(path).resolve() for path in samples}
    checked: list[Checked] = []
    with scratch_folder() as scratch:
        side = deployed(where.side, scratch / "source", where.carry_files)
        for function in where.declared.functions:
            if REQUEST not in function.kinds:
                continue
            for one in _compared(side, where, function, endpoint, wanted):
                checked.append(one)
                progress(f"{len(checked)} samples checked")
    if not checked:
        raise BadInput("there is not a single sample that is a request", "Add some, or name others with --samples")
    return CheckResult(where.side.profile.title, endpoint.address, tuple(checked))


def _compared(side: Side, where: Where, function: Function, endpoint: Endpoint, wanted: set[Path]) -> list[Checked]:
    """Return the verdicts on a function's samples."""
    top = where.folder / FOLDER
    paths = [path for name, path in sample_files(top) if name == function.name] if top.is_dir() else []
    taken = [
        read_sample(function.name, path, where.home, top) for path in paths if not wanted or path.resolve() in wanted
    ]
    taken = [one for one in taken if is_request(one.kind)]
    if not taken:
        return []
    gateway = Gateway(side.project or where.declared, route_style(side.profile).order)
    calls = [_to(gateway, one) for one in taken]

    def original(seed: int) -> list[Outcome]:
        with Worker(side.setup(function, (REQUEST,), 0, 30.0)) as worker:
            return [gone_through(worker, call, function.name, endpoint.limit, seed) for call in calls]

    runs = [original(1), original(2)]
    found = []
    for number, sample in enumerate(taken):
        expected = [run[number] for run in runs]
        try:
            got = endpoint.ask(sample.event)
        except NoAnswer as error:
            why = (f"{endpoint.address} gave no answer: {error}",)
            found.append(Checked(function.name, sample.name, Verdict.UNCHECKED, reasons=why, file=str(sample.path)))
            continue
        found.append(_verdict(function.name, sample, expected, got))
    return found


def _to(gateway: Gateway, sample: Sample) -> CallTo:
    routed = gateway.route(sample.event)
    return CallTo(
        Call(REQUEST, (routed.event.as_fields(),), sample.before, sample.answers), routed.function, routed.reply
    )


def _verdict(function: str, sample: Sample, expected: list[Outcome], got: HttpReply) -> Checked:
    one = expected[0]
    base = Checked(
        function,
        sample.name,
        Verdict.SAME,
        expected=str(one),
        got=f"replied {got.status}",
        file=str(sample.path),
        fails=one.ending in (Ending.FAILED, Ending.EXITED),
    )
    reason = next((why for why in map(nothing_to_compare, expected) if why), "")
    if reason:
        return replace(base, verdict=Verdict.UNCHECKED, reasons=(reason,))
    if one.reply is None:  # a handler that fails answers nothing: what its provider says then is the provider's
        same = got.status >= 500
        why = () if same else (f"the original fails ({one}), and the endpoint answers {got.status}",)
        return replace(base, verdict=Verdict.SAME if same else Verdict.DIFFERS, reasons=why)
    told = {name.lower() for name, _ in one.reply.headers}
    kept = [(name, value) for name, value in got.headers if name in told or (name in _SAYS and name not in FRAMING)]
    plain = [replace(run, effects=(), unseen=()) for run in expected]
    answered = Outcome(Ending.REPLIED, replace(got, headers=kept))
    compared = compare(plain, answered, sample.event.method)
    base = replace(base, varies=tuple(sorted(compared.varies)))
    if compared.hopeless:
        return replace(base, verdict=Verdict.UNCHECKED, reasons=(compared.hopeless,))
    if not compared.differences:
        return base
    return replace(base, verdict=Verdict.DIFFERS, differences=tuple(compared.differences))
