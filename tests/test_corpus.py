"""Handlers as people write them, carried everywhere: how they come out, and that they do the same."""

from __future__ import annotations

from pathlib import Path

import corpus_cases as cases
import pytest

#: handler (or target) → sample differences that a finding or a loss tells of beforehand: what is in the difference
TOLD = (
    "content_type",
    "labels",
    "attributes",
    "group",
)


@pytest.mark.parametrize("target", cases.TARGETS)
@pytest.mark.parametrize("source", [*cases.SOURCES])
def test_every_handler_does_the_same_everywhere_or_what_differs_is_told(
    tmp_path: Path, source: str, target: str
) -> None:
    if cases.SOURCES[source] == target:
        return
    for pair in cases.run(source, target, tmp_path):
        for sample, verdict in pair.verdicts.items():
            assert verdict in ("same", "unheld") or cases.expected(pair, sample), (pair.handler, pair.told)
        assert pair.style == "native" or cases.explained(pair), (pair.handler, pair.style, pair.codes)
