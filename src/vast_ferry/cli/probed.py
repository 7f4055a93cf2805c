"""What `check` asks of samples beside the verdicts: how much they notice, and what other deliveries do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vast_ferry.cli.options import telling

if TYPE_CHECKING:
    from rich.console import RenderableType

    from vast_ferry.checking.bundle import Bundle
    from vast_ferry.hub.findings import Finding
    from vast_ferry.probing.deliveries import DeliveriesResult
    from vast_ferry.probing.strength import StrengthResult


@dataclass(frozen=True, slots=True)
class Probed:
    """What else was asked of the samples."""

    strength: StrengthResult | None = None
    deliveries: DeliveriesResult | None = None
    bundle: Bundle | None = None

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know of it."""
        every = (self.strength, self.deliveries, self.bundle)
        return [one for each in every if each is not None for one in each.findings]

    @property
    def whole(self) -> bool:
        """Tell whether nothing is missing of what was carried, if that was asked."""
        return self.bundle is None or self.bundle.whole

    def data(self) -> dict[str, Any]:
        """Return it as plain data, to stand beside a check's."""
        if self == Probed():
            return {}
        from vast_ferry.reports.probed import bundle_data, deliveries_data, strength_data

        data: dict[str, Any] = {}
        if self.strength is not None:
            data["strength"] = strength_data(self.strength)
        if self.bundle is not None:
            data["bundle"] = bundle_data(self.bundle)
        if self.deliveries is not None:
            data["deliveries"] = deliveries_data(self.deliveries)
        return data

    def texts(self) -> Iterator[RenderableType]:
        """Yield it as text, part by part."""
        if self == Probed():
            return
        from vast_ferry.reports.probed import bundle_text, deliveries_text, strength_text

        if self.bundle is not None:
            yield from ("", bundle_text(self.bundle))
        if self.deliveries is not None:
            yield from ("", deliveries_text(self.deliveries))
        if self.strength is not None:
            yield from ("", strength_text(self.strength))


@dataclass(frozen=True, slots=True)
class Wanted:
    """What else is asked: faults planted for so many seconds, other deliveries, an archive of what needs what."""

    strength: bool
    deliveries: bool
    seconds: float
    bundle: Path | None
    find_links: tuple[Path, ...]


def probe(crossing: Path, options: Mapping[str, Any], wanted: Wanted) -> Probed:
    """Return what else is asked of the samples, and tell on a terminal how far it is."""
    strong, delivered, bundled = None, None, None
    with telling() as progress:
        if wanted.deliveries:
            from vast_ferry.probing.deliveries import deliveries

            delivered = deliveries(crossing, progress=progress, **options)
        if wanted.strength:
            from vast_ferry.probing.strength import strength

            strong = strength(crossing, seconds=wanted.seconds, progress=progress, **options)
        if wanted.bundle is not None:
            from vast_ferry.checking.bundle import bundle

            progress("what is required is installed")
            bundled = bundle(crossing, archive=wanted.bundle, find_links=wanted.find_links)
    return Probed(strong, delivered, bundled)
