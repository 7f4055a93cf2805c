"""What translations of batches of several levels call."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

#
# A level is (root, steps, item, key, index, name, encode): at `steps` from what is called `root` stands a list, or a
# mapping by `key`, of what is called `item`; or what is called `name`, encoded. Steps are items, attributes as `.name`.


def packed(entries: Iterable[dict[str, Any]], root: str, levels: tuple[Any, ...]) -> list[Any]:
    """Return the batches that events make, each of which is a mapping of what stands on the way to it by name.

    Events next to each other that share all that stands above a list are put into one; those of one key come together.
    """
    groups = [group for run in _runs(entries, [root]) for group in _each_key_once(run, levels)]
    return [_filled({root: {}, **group[0]}, group, root, levels)[root] for group in groups]


def one_batch(batches: list[Any]) -> Any:
    """Return the only batch that events make, or raise ValueError where the provider hands them over in several."""
    if len(batches) != 1:
        raise ValueError(f"these events come in {len(batches)} batches")
    return batches[0]


def _runs(entries: Iterable[dict[str, Any]], names: list[str]) -> list[list[dict[str, Any]]]:
    """Return entries next to each other that have the same under each of some names."""
    runs: list[list[dict[str, Any]]] = []
    for entry in entries:
        if runs and all(runs[-1][0].get(name) == entry.get(name) for name in names):
            runs[-1].append(entry)
        else:
            runs.append([entry])
    return runs


def _each_key_once(entries: list[dict[str, Any]], levels: tuple[Any, ...]) -> list[list[dict[str, Any]]]:
    """Return entries in as many batches as it takes, where each stands under a key of its own: two can't share one."""
    if not [one for one in levels if one[2]][-1][3]:
        return [entries]
    keys = [one[3] for one in levels if one[3]]
    batches: list[list[dict[str, Any]]] = []
    seen: set[tuple[Any, ...]] = set()
    for entry in entries:
        told = tuple(entry.get(key) for key in keys)
        if not batches or told in seen:
            batches.append([])
            seen = set()
        batches[-1].append(entry)
        seen.add(told)
    return batches


def _filled(held: dict[str, Any], entries: list[dict[str, Any]], root: str, levels: tuple[Any, ...]) -> dict[str, Any]:
    """Return what is called something, with what stands below it put in."""
    if not levels:
        return held
    (at, steps, item, key, _, name, encode), *rest = levels
    if name:
        inner = _filled({**held, name: held.get(name)}, entries, root, tuple(rest))
        return _put(inner, at, steps, encode(inner[name]))
    # Above the next list everything is shared; an event by itself is never one with its neighbour.
    names = [item, *(one[5] for one in rest if one[5])]
    if not any(one[2] for one in rest):
        groups = [[entry] for entry in entries]
    elif key:
        by_key: dict[Any, list[dict[str, Any]]] = {}
        for entry in entries:
            by_key.setdefault(entry.get(key), []).append(entry)
        groups = list(by_key.values())
    else:
        groups = _runs(entries, names)
    made = []
    for group in groups:
        inner = _filled({**held, **group[0], **{one: held[one] for one in held if one == at}}, group, root, tuple(rest))
        made.append((group[0].get(key) if key else None, inner[item]))
    return _put(held, at, steps, dict(made) if key else [one for _, one in made])


def _put(held: dict[str, Any], at: str, steps: tuple[Any, ...], value: Any) -> dict[str, Any]:
    """Return what is called something with a value at a place of it."""
    if not steps:
        return {**held, at: value}
    if isinstance(held.get(at, {}), dict):
        held = {**held, at: dict(held.get(at, {}))}
    inside = held[at]
    for step in steps[:-1]:
        inside = getattr(inside, step[1:]) if isinstance(step, str) and step.startswith(".") else inside[step]
    if isinstance(steps[-1], str) and steps[-1].startswith("."):
        setattr(inside, steps[-1][1:], value)
    else:
        inside[steps[-1]] = value
    return held
