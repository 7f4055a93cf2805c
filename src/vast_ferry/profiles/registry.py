"""The profiles that can be asked for by name: those that ship, those of installed packages, a user's, a project's.

Of two with one name and edition the nearer counts: the project's `profiles/` folder, then the folders of the variable
VAST_FERRY_PROFILES, then installed packages (entry points of the group `vast_ferry.profiles`), then those that ship.
"""

from __future__ import annotations

import functools
import importlib.util
import os
import re
from importlib import metadata
from pathlib import Path

from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.profiles.profile import SHIPPED, Profile, load_profile

FOLDER = SHIPPED


#: Folders of profiles beside those that ship, set apart as paths are.
VARIABLE = "VAST_FERRY_PROFILES"
#: By what an installed package offers a folder of profiles: a module (or package) whose folder it is.
GROUP = "vast_ferry.profiles"


@functools.cache
def shipped() -> dict[str, Path]:
    """Return the files of the profiles that ship, by `name@edition`."""
    return _in(FOLDER)


def _in(folder: Path) -> dict[str, Path]:
    """Return the profiles of a folder, whose files are called NAME-EDITION.yaml."""
    found = {}
    for path in sorted(folder.glob("*.yaml")) if folder.is_dir() else ():
        name, _, edition = path.stem.rpartition("-")
        if edition.isdecimal() and re.fullmatch(r"[a-z][a-z0-9_-]*", name):
            found[f"{name}@{edition}"] = path
    return found


@functools.cache
def installed() -> dict[str, Path]:
    """Return the files of profiles that installed packages offer, by `name@edition`.

    Raises BadInput for a package whose entry can't be found.
    """
    found: dict[str, Path] = {}
    for entry in metadata.entry_points(group=GROUP):
        # A module is found without running it: what a package does when it is imported is none of ours.
        name, _, attribute = entry.value.partition(":")
        try:
            spec = importlib.util.find_spec(name) if not attribute else None
        except (ImportError, ValueError, AttributeError):
            spec = None
        folders = [*(spec.submodule_search_locations or ())] if spec else []
        if not folders:
            raise BadInput(
                f"the package that offers {entry.name!r} as {GROUP} names {entry.value!r}, which is no package",
                "Mend or uninstall that package: its entry is the name of a package whose folder holds profiles",
            )
        for folder in folders:
            found |= _in(Path(folder))
    return found


def known() -> dict[str, Path]:
    """Return the files of all profiles that can be asked for by name, by `name@edition`."""
    found = {**shipped(), **installed()}
    for folder in reversed([one for one in os.environ.get(VARIABLE, "").split(os.pathsep) if one]):
        if not Path(folder).is_dir():
            raise BadInput(f"{VARIABLE} names {folder!r}, which is no folder", "Mend the variable")
        found |= _in(Path(folder))
    return found | _in(Path("profiles"))


@functools.cache
def _load(path: Path) -> Profile:
    return load_profile(path, str(path))


def _named(path: Path) -> Profile:
    """Return the profile in a file that was found by its name: one that does not ship, as it is now."""
    if path.parent == FOLDER:
        return _load(path)
    profile = _load_own(str(path))
    if f"{profile.model.provider}-{profile.model.edition}" != path.stem:
        raise BadInput(f"{path} holds {profile.name}", f"Call it {profile.model.provider}-{profile.model.edition}.yaml")
    return profile


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
    there = known()
    if name in there:
        return _named(there[name])
    wanted = re.fullmatch(r"([a-z][a-z0-9_-]*)(?:@(\d+))?", name.strip().lower())
    editions = [key for key in there if wanted and key.rpartition("@")[0] == wanted[1]]
    if wanted and editions and wanted[2] is None:
        return _named(there[max(editions, key=lambda key: int(key.rpartition("@")[2]))])
    if editions and wanted:
        raise BadInput(f"{wanted[1]} has no edition {wanted[2]}", f"Known editions: {', '.join(sorted(editions))}")
    names = sorted({key.rpartition("@")[0] for key in there})
    raise BadInput(
        f"there is no provider {name!r}{nearest(name, names)}",
        f"Use one of: {', '.join(names)}, or the path of a profile file",
    )


def editions_of(name: str) -> list[Profile]:
    """Return every edition that a name without one could mean, the oldest first; just the one where it says which."""
    there = known()
    editions = [key for key in there if key.rpartition("@")[0] == name.strip().lower()]
    if not editions:
        return [find_profile(name)]
    return [_named(there[key]) for key in sorted(editions, key=lambda key: int(key.rpartition("@")[2]))]


def is_shipped(profile: Profile) -> bool:
    """Tell whether a profile ships with the package, so that its name says which one it is."""
    return profile.path.parent == FOLDER


def all_profiles() -> list[Profile]:
    """Return every profile that ships, by name."""
    return [_load(path) for path in shipped().values()]
