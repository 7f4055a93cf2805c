"""A pytest plugin: `pytest --crossing DIR` makes one test of each sample of a crossing, and a fixture gives the result.

All samples that are wanted are checked together, once in each process, when the first of their tests runs. pytest
loads this for every run, so nothing else is loaded before a crossing is named.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

from vast_ferry.hub.findings import FerryError

if TYPE_CHECKING:
    from vast_ferry.checking.result import Checked, CheckResult


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add `--crossing`."""
    group = parser.getgroup("crossing", "projects that were carried by Vast Ferry")
    group.addoption(
        "--crossing", action="append", default=[], metavar="DIR", help="Make a test of each sample of a crossing."
    )


class Differs(FerryError):
    """A sample on which the carried function is not proven to do the same."""


class Crossing:
    """One crossing: its samples by function, and their verdicts as they become known."""

    def __init__(self, folder: Path) -> None:
        from vast_ferry.checking.sides import samples_of, source_side
        from vast_ferry.surveying.record import read_record

        self.folder = folder
        record = read_record(folder)
        side, declared = source_side(folder, record, None)
        found = samples_of(side, declared, record, [])
        self.samples = {name: [Path(file) for file, _ in files] for name, files in found.items()}
        self._verdicts: dict[str, Checked] = {}

    def verdict(self, path: Path, wanted: Iterable[str]) -> Checked:
        """Return the verdict on a sample; those of all functions that are wanted are made at once."""
        from vast_ferry.checking.check import check

        if not self._verdicts:
            samples = [path for function in wanted for path in self.samples[function]]
            self._verdicts = {one.file: one for one in check(self.folder, samples=samples).checked}
        return self._verdicts[str(path)]


class SampleTest(pytest.Item):
    """The test that one sample comes out the same on both sides."""

    def __init__(self, *, crossing: Crossing, named: str, sample: Path, **more: Any) -> None:
        super().__init__(**more)
        self.crossing, self.named, self.sample = crossing, named, sample  # `function` means something to pytest

    def runtest(self) -> None:
        """Fail where the verdict is not that both are the same; skip where there was nothing to compare."""
        from vast_ferry.checking.compare import Verdict

        tests = [one for one in self.session.items if isinstance(one, SampleTest) and one.crossing is self.crossing]
        one = self.crossing.verdict(self.sample, dict.fromkeys(each.named for each in tests))
        if one.verdict is Verdict.UNCHECKED and one.read:
            pytest.skip("; ".join(one.reasons) or "there was nothing to compare")
        if one.verdict is not Verdict.SAME:
            raise Differs(one)

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """Return what differs, place by place."""
        if not isinstance(excinfo.value, Differs):
            return super().repr_failure(excinfo, style)
        (one,) = excinfo.value.args
        lines = [f"{one.function} on {one.sample}: {one.verdict}"]
        for each in one.differences:
            lines += [f"  {each.at}", f"    original: {each.expected}", f"    carried:  {each.got}"]
        lines += [f"  {why}" for why in one.reasons]
        lines += [f"  original {one.expected}", f"  carried  {one.got}"]
        return "\n".join([*lines, *([one.output] if one.output else [])])

    def reportinfo(self) -> tuple[Path, int | None, str]:
        """Return where the sample lies, and what the test is called."""
        return self.sample, None, self.name


def _crossings(config: pytest.Config) -> Iterator[Crossing]:
    from vast_ferry.hub.findings import BadInput

    for named in config.getoption("--crossing"):
        try:
            yield Crossing(Path(named))
        except BadInput as error:
            raise pytest.UsageError(str(error)) from None


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(session: pytest.Session, config: pytest.Config, items: list[pytest.Item]) -> None:
    """Add a test for each sample of each crossing that was named."""
    for crossing in _crossings(config):
        for function, path in _samples(crossing):
            name = f"{crossing.folder.name}::{function}::{path.name}"
            made = SampleTest.from_parent(session, name=name, crossing=crossing, named=function, sample=path)
            items.append(made)


def _samples(crossing: Crossing) -> Iterable[tuple[str, Path]]:
    return [(function, path) for function, paths in crossing.samples.items() for path in paths]


@pytest.fixture(scope="session")
def crossing_results(request: pytest.FixtureRequest) -> dict[str, CheckResult]:
    """Return what the check says of each crossing that was named, by its folder's name."""
    from vast_ferry.checking.check import check

    return {Path(named).name: check(named) for named in request.config.getoption("--crossing")}
