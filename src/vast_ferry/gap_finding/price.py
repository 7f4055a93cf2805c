"""What a month costs at a provider, step by step, so that a person can follow the sum."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema import PriceModel


@dataclass(frozen=True, slots=True)
class Usage:
    """A month's work: calls, their mean duration in ms, mean memory in MiB, and traffic out in GB (10^9 bytes)."""

    calls: int
    mean_ms: float
    memory: float
    gb_out: float = 0


@dataclass(frozen=True, slots=True)
class Step:
    """One line of a bill: what it is, how it is reckoned, and what it comes to (nothing for what only leads there)."""

    what: str
    sum: str
    amount: float | None = None


@dataclass(frozen=True, slots=True)
class Bill:
    """A month's bill at one provider."""

    coin: str
    steps: tuple[Step, ...]

    @property
    def total(self) -> float:
        """Return what all of it comes to."""
        return sum(step.amount for step in self.steps if step.amount is not None)


def bill(profile: Profile, usage: Usage) -> Bill | None:
    """Return a month's bill at a provider; nothing where its profile has no prices."""
    price = profile.model.price
    return Bill(price.coin, tuple(_steps(price, usage))) if price else None


def _steps(price: PriceModel, usage: Usage) -> Iterator[Step]:
    counted = max(math.ceil(usage.mean_ms / price.step_ms) * price.step_ms, price.least_ms)
    yield Step(
        "a run counts as",
        f"{usage.mean_ms:g} ms, in steps of {price.step_ms} ms"
        + (f", {price.least_ms} ms at least" if price.least_ms else "")
        + f" = {counted:g} ms",
    )
    gb_seconds = usage.calls * counted / 1000 * usage.memory / 1024
    yield Step(
        "memory and time",
        f"{usage.calls:,} × {counted / 1000:g} s × {usage.memory:g}/1024 GB = {gb_seconds:,.0f} GB-seconds",
    )
    free = price.free
    paid = max(0, usage.calls - free.calls)
    yield Step(
        "calls",
        f"{_less(usage.calls, free.calls)} at {price.per_million_calls:g} a million",
        paid / 1_000_000 * price.per_million_calls,
    )
    paid_seconds = max(0.0, gb_seconds - free.gb_seconds)
    yield Step(
        "GB-seconds",
        f"{_less(gb_seconds, free.gb_seconds)} at {price.per_gb_second:g}",
        paid_seconds * price.per_gb_second,
    )
    if usage.gb_out:
        paid_out = max(0.0, usage.gb_out - free.gb_out)
        yield Step("GB out", f"{_less(usage.gb_out, free.gb_out)} at {price.per_gb_out:g}", paid_out * price.per_gb_out)
    if price.per_month:
        yield Step("in any case", f"{price.per_month:g} a month", price.per_month)


def _less(count: float, free: float) -> str:
    if not free:
        return f"{count:,.0f}"
    return f"{count:,.0f} less {free:,.0f} free = {max(0, count - free):,.0f}"


def crossings(one: Profile, other: Profile, usage: Usage, theirs: Usage, most: int) -> list[int]:
    """Return the numbers of calls, up to `most`, at which the dearer of two providers becomes the cheaper one.

    Traffic is taken to grow with the calls. Costs are straight between the ends of free allowances, so each piece has
    one crossing at most, which is found by halving.
    """

    def difference(calls: float) -> float:
        bills = [
            bill(profile, Usage(round(calls), used.mean_ms, used.memory, used.gb_out * calls / max(1, used.calls)))
            for profile, used in ((one, usage), (other, theirs))
        ]
        assert bills[0]
        assert bills[1]
        return bills[0].total - bills[1].total

    bends = sorted({0.0, float(most), *_bends(one, usage), *_bends(other, theirs)})
    bends = [bend for bend in bends if bend <= most]
    found = []
    for low, high in pairwise(bends):
        first, last = difference(low), difference(high)
        if first * last < 0:
            while high - low > 1:
                middle = (low + high) / 2
                low, high = (middle, high) if difference(middle) * first > 0 else (low, middle)  # noqa: PLW2901
            found.append(round(high))
    return found


def _bends(profile: Profile, usage: Usage) -> Iterator[float]:
    """Yield the numbers of calls at which a free allowance is used up."""
    price = profile.model.price
    if price is None:
        return
    yield price.free.calls
    counted = max(math.ceil(usage.mean_ms / price.step_ms) * price.step_ms, price.least_ms)
    each = counted / 1000 * usage.memory / 1024
    if each:
        yield price.free.gb_seconds / each
    if usage.gb_out and usage.calls:
        yield price.free.gb_out / (usage.gb_out / usage.calls)
