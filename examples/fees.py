"""A plain function. `fuselatch generate fees:late_fee --from examples` writes a form for it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal


def late_fee(vessel: str, paid_until: date, left: date, rate: Decimal = Decimal("12.50"), waived: bool = False) -> Decimal:
    """Return the fee for a vessel that stayed longer than it paid for.

    paid_until: the last night that was paid
    left: the day on which the berth was free again
    rate: EUR for each night
    """
    nights = max((left - paid_until).days, 0)
    return Decimal(0) if waived else rate * nights
