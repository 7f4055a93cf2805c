"""What a check found: a verdict a sample, and what can be said of them all."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.exact_json import Difference
from vast_ferry.events.unread import not_read
from vast_ferry.evidence.witnesses import WITNESS
from vast_ferry.hub.findings import Finding, Place, Severity


@dataclass(frozen=True, slots=True)
class Checked:
    """The verdict on one sample: where answers differ, why it is unheld or unchecked, and what varies by itself.

    `losses` are what the target's shape can't hold of this sample; with the verdict `same` they did not show.
    """

    function: str
    sample: str
    verdict: Verdict
    differences: tuple[Difference, ...] = ()
    reasons: tuple[str, ...] = ()
    varies: tuple[str, ...] = ()
    losses: tuple[str, ...] = ()
    expected: str = ""
    got: str = ""
    output: str = ""
    file: str = ""
    unseen: tuple[tuple[str, str], ...] = ()
    fails: bool = False  # the original fails on it
    read: bool = True  # its file could be read
    took: tuple[float, float] = (0.0, 0.0)  # how long the original and the carried one took, in seconds
    logs: str = ""  # a line of the carried one's log that tells of an error, and the original logs no such line
    reached: bool = True  # a handler was called: the provider did not answer by itself, as it does where no route fits

    @property
    def plain(self) -> bool:
        """Tell whether there is nothing to say of it but that it is the same."""
        said = self.varies or self.unseen or self.logs or self.fails
        return self.verdict is Verdict.SAME and self.reached and not said


@dataclass(frozen=True, slots=True)
class Noted:
    """What the source's profile makes of a sample and a person must know: keys that no row reads, what is odd."""

    function: str
    file: str
    unread: tuple[str, ...]
    odd: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What a check found: a verdict a sample, and functions that no sample reached.

    `counted` says how many more samples of each function were plainly the same, where these are only counted.
    `not_held` is what this system could not keep the handlers from while they ran, in plain words.
    """

    source: str  # titles of the two providers
    target: str
    checked: tuple[Checked, ...] = ()
    without_samples: tuple[str, ...] = ()
    edited: tuple[str, ...] = field(default=())
    not_held: tuple[str, ...] = ()
    unwitnessed: tuple[str, ...] = ()  # what is taken a profile's word for
    noted: tuple[Noted, ...] = ()
    counted: Mapping[str, int] = field(default_factory=dict)

    @property
    def total(self) -> int:
        """Return how many samples there are."""
        return len(self.checked) + sum(self.counted.values())

    def count(self, verdict: Verdict) -> int:
        """Return how many samples got that verdict."""
        more = sum(self.counted.values()) if verdict is Verdict.SAME else 0
        return sum(checked.verdict is verdict for checked in self.checked) + more

    @property
    def compared(self) -> int:
        """Return how many samples were compared."""
        return self.total - self.count(Verdict.UNCHECKED)

    @property
    def unproven(self) -> tuple[str, ...]:
        """Return the functions of which no sample was compared."""
        functions = dict.fromkeys(checked.function for checked in self.checked)
        compared = {*self.counted, *(c.function for c in self.checked if c.verdict is not Verdict.UNCHECKED)}
        failing = {*self.failing, *self.unreached}
        return (*(name for name in functions if name not in compared or name in failing), *self.without_samples)

    @property
    def failing(self) -> tuple[str, ...]:
        """Return the functions whose original fails on every sample: of them, nothing that they are for was seen."""
        functions = dict.fromkeys(checked.function for checked in self.checked)
        compared = [c for c in self.checked if c.verdict is not Verdict.UNCHECKED]
        works = {*self.counted, *(c.function for c in compared if c.reached and not c.fails)}
        fails = {c.function for c in self.checked if c.fails}
        return tuple(name for name in functions if name in fails and name not in works)

    @property
    def unreached(self) -> tuple[str, ...]:
        """Return the functions of which samples were compared, but none came to its handler: no route fits them."""
        compared = [c for c in self.checked if c.verdict is not Verdict.UNCHECKED]
        reached = {*self.counted, *(c.function for c in compared if c.reached)}
        return tuple(name for name in dict.fromkeys(c.function for c in compared) if name not in reached)

    @property
    def unreadable(self) -> bool:
        """Tell whether a sample could not be read."""
        return any(not checked.read for checked in self.checked)

    def _unread(self) -> Iterator[Finding]:
        for one in self.noted:
            missing, partly = map(", ".join, not_read(one.unread))
            rows = "`vast-ferry profile try` shows all rows"
            told = (
                (
                    missing,
                    f"{self.source}'s profile reads nothing of {missing}: no handler gets it here, on either side",
                    f"Add a row to the profile, or list the place under `unused`; {rows}",
                ),
                (
                    partly,
                    f"{self.source}'s profile does not take all as it stands there, on both sides: {partly}",
                    f"Give the place a form that takes all of it, where handlers need that; {rows}",
                ),
            )
            for there, reason, remedy in told:
                if there:
                    place = Place(one.file, 1)
                    yield Finding("event-unread", Severity.TODO, reason, remedy, place, one.function)

    def _odd(self) -> Iterator[Finding]:
        """Yield what is read oddly, once a function: both sides rest on the same profile, and agree on what it says."""
        told: set[tuple[str, str]] = set()
        for one in self.noted:
            for name, what in one.odd:
                if (one.function, name) not in told:
                    told.add((one.function, name))
                    yield Finding(
                        "event-odd",
                        Severity.TODO,
                        f"{self.source}'s profile reads {what}",
                        "Give the row the form that its text has, or mend the sample if it is meant to be so",
                        Place(one.file, 1),
                        one.function,
                    )

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know beyond the verdicts: what was started that can do things which nobody sees."""
        found = dict.fromkeys((c.function, what, place) for c in self.checked for what, place in c.unseen)
        noted = [*self._unread(), *self._odd()]
        logged: dict[str, Checked] = {}
        for one in self.checked:
            if one.logs and one.verdict is not Verdict.UNCHECKED:
                logged.setdefault(one.function, one)
        told = [
            Finding(
                "logs",
                Severity.TODO,
                f"{name} logs an error at {self.target}, and none at {self.source} ({one.sample}): {one.logs}",
                "Look at what it means: what it answers may be the same all the same",
                function=name,
            )
            for name, one in logged.items()
        ]
        rests = [Finding("unwitnessed", Severity.TODO, told, WITNESS) for told in self.unwitnessed]
        return (
            rests
            + noted
            + told
            + [
                Finding(
                    "effects-unseen",
                    Severity.TODO,
                    f"{function} {what}; what that does to the outside is not seen here, and not compared",
                    "Check by hand that it does the same at the target",
                    _place(place),
                    function,
                )
                for function, what, place in found
            ]
        )

    @property
    def good(self) -> bool:
        """Tell whether every compared answer was the same, and every function was compared on something."""
        same = self.compared == self.count(Verdict.SAME)
        return bool(self.compared) and not self.unproven and not self.unreadable and same


def _place(text: str) -> Place:
    file, _, line = text.rpartition(":")
    return Place(file, int(line)) if file and line.isdecimal() else Place(text)
