"""What a file of a project says, in whichever language: the calls of clients and the settings, by what holds them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from vast_ferry.hub.findings import Place
from vast_ferry.mapping.clients import Client


@dataclass(frozen=True, slots=True)
class Use:
    """One call of a client: where, and on which bucket, channel or table.

    `name` is empty where only running the code tells it, and `$NAME` where an environment variable holds it.
    """

    client: Client
    place: Place
    name: str = ""


@dataclass(frozen=True, slots=True)
class Setting:
    """An environment variable or a secret that code reads; `given` where it does without."""

    name: str
    place: Place
    given: bool = False
    secret: bool = False


@dataclass(frozen=True, slots=True)
class Kept:
    """What code keeps in memory from one call to the next, and where it changes that."""

    name: str
    place: Place


@dataclass(frozen=True, slots=True)
class Part:
    """One definition at the top of a file, or all that is none: what it calls, reads, keeps and mentions."""

    uses: tuple[Use, ...] = ()
    settings: tuple[Setting, ...] = ()
    names: frozenset[str] = frozenset()
    kept: tuple[Kept, ...] = ()


@dataclass(frozen=True, slots=True)
class FileScan:
    """What one file says: its parts by the names that they define (empty: the rest), and what it imports of its own.

    `more` where it may define names that nobody can read off. `imports` maps a name of the file to (file of the
    project, name there; empty for the module itself).
    """

    defines: frozenset[str] = frozenset()
    imports: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    parts: Mapping[str, Part] = field(default_factory=dict)
    more: bool = False
