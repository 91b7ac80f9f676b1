"""Scenes to rehearse: the forms of Saltmarsh Quay with one day's data."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from importlib.resources import files
from pathlib import Path

from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords
from fuselatch.stores.csv_files import CsvRecords
from saltmarsh import tables
from saltmarsh.forms import BookingForm, VesselSearch
from saltmarsh.office import OfficeForm
from saltmarsh.tides import lowest_water


def mean_low_water(arrival: date, nights: int) -> Decimal:
    """Return the level that rehearsals use in place of the tide office's: mean low water."""
    return Decimal(0)


@scene
def quiet_monday() -> Scene:
    """Return the booking form on a morning in May, with the berths that are free that night."""
    now = datetime(2031, 5, 5, 9, 30)
    day = now.date()
    return Scene(
        BookingForm,
        user="clerk-2",
        now=now,
        berths=tables.free_on(day),
        vessels=tables.vessels(),
        tariff=tables.tariff_on(day),
        arrears=tables.arrears(),
        slow_calls_by={lowest_water: mean_low_water},
    )


@scene
def searching() -> Scene:
    """Return the vessel search on its own."""
    return Scene(VesselSearch, user="clerk-2", vessels=tables.vessels())


@scene
def office() -> Scene:
    """Return the office's bookings on the same morning. A rehearsal writes to a copy in memory."""
    kept = CsvRecords(Path(str(files("saltmarsh"))) / "data")
    records = MemoryRecords.copy(kept, "bookings", "extras", "berths", "vessels", "services")
    return Scene(OfficeForm, user="office-1", now=datetime(2031, 5, 5, 9, 30), records=records)
