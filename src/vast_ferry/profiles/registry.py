"""The profiles that can be asked for by name: those that ship, and those that a user points at."""

from __future__ import annotations

import functools
import re
from pathlib import Path

from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.profiles.profile import Profile, load_profile

FOLDER = Path(__file__).parent / "shipped"


@functools.cache
def shipped() -> dict[str, Path]:
    """Return the files of the profiles that ship, by `name@edition`."""
    found = {}
    for path in sorted(FOLDER.glob("*.yaml")):
        name, _, edition = path.stem.rpartition("-")
        found[f"{name}@{edition}"] = path
    return found


@functools.cache
def _load(path: Path) -> Profile:
    return load_profile(path, str(path))


def _load_own(name: str) -> Profile:
    """Return the profile in a user's file, as it is now."""
    try:
        path = Path(name).resolve()
        status = path.stat()
    except (OSError, RuntimeError, ValueError):
        return load_profile(Path(name), name)  # which says what is wrong
    return _load_as_of(path, status.st_mtime_ns, status.st_size)


@functools.lru_cache(maxsize=64)
def _load_as_of(path: Path, written: int, size: int) -> Profile:
    return load_profile(path, str(path))


def find_profile(name: str) -> Profile:
    """Return the profile of a provider: `ostermere`, `ostermere@1`, or the path of a profile file.

    Without an edition the newest one that ships is meant. Raises BadInput for an unknown name, with the nearest known.
    """
    if name.endswith((".yaml", ".yml")) or "/" in name:
        return _load_own(name)
    known = shipped()
    if name in known:
        return _load(known[name])
    wanted = re.fullmatch(r"([a-z][a-z0-9_-]*)(?:@(\d+))?", name.strip().lower())
    editions = [key for key in known if wanted and key.rpartition("@")[0] == wanted[1]]
    if wanted and editions and wanted[2] is None:
        return _load(known[max(editions, key=lambda key: int(key.rpartition("@")[2]))])
    if editions and wanted:
        raise BadInput(f"{wanted[1]} has no edition {wanted[2]}", f"Known editions: {', '.join(sorted(editions))}")
    names = sorted({key.rpartition("@")[0] for key in known})
    raise BadInput(
        f"there is no provider {name!r}{nearest(name, names)}",
        f"Use one of: {', '.join(names)}, or the path of a profile file",
    )


def editions_of(name: str) -> list[Profile]:
    """Return every edition that a name without one could mean, the oldest first; just the one where it says which."""
    known = [key for key in shipped() if key.rpartition("@")[0] == name.strip().lower()]
    if not known:
        return [find_profile(name)]
    return [_load(shipped()[key]) for key in sorted(known, key=lambda key: int(key.rpartition("@")[2]))]


def is_shipped(profile: Profile) -> bool:
    """Tell whether a profile ships with the package, so that its name says which one it is."""
    return profile.path.parent == FOLDER


def all_profiles() -> list[Profile]:
    """Return every profile that ships, by name."""
    return [_load(path) for path in shipped().values()]
