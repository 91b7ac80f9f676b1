"""A plain function that `fuselatch generate fees:late_fee --from examples` makes a form for."""

from __future__ import annotations

from datetime import date
from decimal import Decimal


def late_fee(vessel: str, paid_until: date, left: date, rate: Decimal = Decimal("12.50"), waived: bool = False) -> Decimal:
    """What a vessel owes that has stayed longer than she paid for.

    paid_until: the last night that was paid
    left: the day on which the berth was free again
    rate: EUR for each night
    """
    nights = max((left - paid_until).days, 0)
    return Decimal(0) if waived else rate * nights
