"""What `check` asks of samples beside the verdicts: how much they notice, and what other deliveries do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vast_ferry.cli.options import telling

if TYPE_CHECKING:
    from rich.console import RenderableType

    from vast_ferry.hub.findings import Finding
    from vast_ferry.probing.deliveries import DeliveriesResult
    from vast_ferry.probing.strength import StrengthResult


@dataclass(frozen=True, slots=True)
class Probed:
    """What else was asked of the samples."""

    strength: StrengthResult | None = None
    deliveries: DeliveriesResult | None = None

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know of it."""
        return [one for each in (self.strength, self.deliveries) if each is not None for one in each.findings]

    def data(self) -> dict[str, Any]:
        """Return it as plain data, to stand beside a check's."""
        from vast_ferry.reports.probed import deliveries_data, strength_data

        data: dict[str, Any] = {}
        if self.strength is not None:
            data["strength"] = strength_data(self.strength)
        if self.deliveries is not None:
            data["deliveries"] = deliveries_data(self.deliveries)
        return data

    def texts(self) -> Iterator[RenderableType]:
        """Yield it as text, part by part."""
        from vast_ferry.reports.probed import deliveries_text, strength_text

        if self.deliveries is not None:
            yield from ("", deliveries_text(self.deliveries))
        if self.strength is not None:
            yield from ("", strength_text(self.strength))


def probe(
    crossing: Path,
    options: Mapping[str, Any],
    *,
    seconds: float,
    strength: bool,
    deliveries: bool,
) -> Probed:
    """Return what else is asked of the samples, and tell on a terminal how far it is."""
    if not (strength or deliveries):
        return Probed()
    from vast_ferry.probing.deliveries import deliveries as deliver
    from vast_ferry.probing.strength import strength as strength_of

    with telling() as progress:
        told = deliver(crossing, progress=progress, **options) if deliveries else None
        strong = strength_of(crossing, seconds=seconds, progress=progress, **options) if strength else None
    return Probed(strong, told)
