"""The forms of the marina office at Saltmarsh Quay."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from types import MappingProxyType

from fuselatch import (
    Button,
    CallCancelled,
    Choice,
    Event,
    Finding,
    Form,
    Integer,
    Label,
    Latch,
    Money,
    Number,
    Param,
    Prompt,
    Text,
    Tick,
    TimedOut,
    check,
    warn,
)
from fuselatch.services import Drawings, Letters
from saltmarsh import tables
from saltmarsh.papers import Stay, confirmation, mooring_plan
from saltmarsh.tables import Berth, Debt, Tariff, Vessel
from saltmarsh.tides import lowest_water

NOTHING_OWED: Mapping[str, Debt] = MappingProxyType({})
SNUG = 0.8
"""The shortest berth for a boat, as a share of the boat's length."""
UNDER_KEEL = 0.3
"""The least water below a boat's keel, in metres."""
SURELY_DEEP = 1.0
"""Water below a boat's keel at mean low water, in metres, that is enough at any tide."""


class VesselSearch(Form, title="Find a vessel"):
    """Find a vessel that has called before, by the start of its name."""

    vessels: tuple[Vessel, ...] = Param()
    starts_with: str = Param(default="")

    begins = Text("Begins with", default=lambda form: form.starts_with)
    match = Choice("Vessel", required=True, choices=lambda form: form.matching())
    details = Label("Details", value=lambda form: form.described())
    take = Button("Take it", closes="accepted")
    back = Button("Back", closes="cancelled")

    def matching(self) -> list[str]:
        """Return the names that start with the typed text, ignoring case."""
        begins = self.begins.value.casefold()
        return [vessel.name for vessel in self.vessels if vessel.name.casefold().startswith(begins)]

    def described(self) -> str:
        """Return the chosen vessel's details."""
        found = next((vessel for vessel in self.vessels if vessel.name == self.match.value), None)
        return f"{found.kind}, {found.length} m, {found.owner}, {found.home_port}" if found else ""


def berth_warning(title: str, text: str) -> Prompt:
    """Return a question about a berth that may not suit the boat."""
    return Prompt(text, title=title, buttons=("Book anyway", "Change berth"), default="Change berth", tone="warning")


class BookingForm(Form, title="Book a berth"):
    """Enter a visiting boat's details and book a free berth for it."""

    berths: tuple[Berth, ...] = Param()
    vessels: tuple[Vessel, ...] = Param()
    tariff: Tariff = Param()
    arrears: Mapping[str, Debt] = Param(default=NOTHING_OWED)

    vessel = Text("Vessel", required=True, max_length=40)
    find = Button("Find…")
    length = Number("Length", unit="m", minimum=3, maximum=60, decimals=2, required=True)
    nights = Integer("Nights", minimum=1, maximum=30, default=1, required=True)
    pier = Choice("Pier", required=True, choices=lambda form: dict.fromkeys(berth.pier for berth in form.berths))
    berth = Choice("Berth", required=True, choices=lambda form: form.suitable_berths())
    visitor = Tick("Visitor")
    port = Text("Home port", enabled=lambda form: form.visitor.value, required=True)
    price = Money("Price", unit="EUR", value=lambda form: form.price_of_stay())
    book = Button("Book", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    too_long = berth_warning("Long boat", "{vessel} overhangs {berth} by {over:.1f} m. Book anyway?")
    too_shallow = berth_warning(
        "Shallow berth",
        "At the lowest water of the stay {berth} has {water:.1f} m, and {vessel} draws {draught:.1f} m. Book anyway?",
    )
    no_tides = berth_warning(
        "No answer", "The tide office doesn't answer, and {berth} may be too shallow for {vessel}. Book anyway?"
    )

    owes = Prompt(
        "{vessel} has owed {amount} EUR since {since}. Book anyway?",
        title="Arrears",
        buttons=("Book it", "Send to the office"),
        default="Send to the office",
        tone="warning",
        latch=Latch(per="record", key=lambda form: form.vessel.value),
        remember=("Book it",),
    )

    def suitable_berths(self) -> list[str]:
        """Return the pier's free berths that are at least four fifths of the boat's length."""
        least = (self.length.value or 0) * SNUG
        return [berth.name for berth in self.berths if berth.pier == self.pier.value and berth.length >= least]

    def price_of_stay(self) -> Decimal | None:
        """Return the price by the tariff, or None until length and nights are known."""
        return self.tariff.price(self.length.value, self.nights.value)

    @check(length)
    def plausible(self, length: float) -> Finding | None:
        """A boat longer than any price band can be booked, but someone should confirm it."""
        return warn("Unusually long") if length > self.tariff.bands[-1][0] else None

    @vessel.changed
    def warn_of_arrears(self, event: Event) -> None:
        """Ask once per booking about unpaid fees. If the office should decide, restore the entry."""
        debt = self.arrears.get(self.vessel.value)
        if debt is None:
            return
        if self.ask(self.owes, amount=debt.amount, since=debt.since.isoformat()) == "Send to the office":
            self.vessel.value = event.old

    @find.clicked
    def look_up_vessel(self) -> None:
        """Let the clerk find the vessel, and fill in its details."""
        outcome = self.open(VesselSearch, vessels=self.vessels, starts_with=self.vessel.value)
        if not outcome.accepted:
            return
        found = next(vessel for vessel in self.vessels if vessel.name == outcome[VesselSearch.match])
        self.vessel.value = found.name
        self.length.value = found.length
        self.visitor.value = found.home_port != "Saltmarsh Quay"
        self.port.value = found.home_port

    @Form.accepting
    def confirm_overhang(self, event: Event) -> None:
        """Ask before a boat is booked into a shorter berth."""
        over = self.length.required_value - next(berth.length for berth in self.berths if berth.name == self.berth.value)
        if over > 0 and self.ask(self.too_long, over=over) == "Change berth":
            event.block("choose a longer berth")

    @Form.accepting
    def ask_for_tides(self, event: Event) -> None:
        """Ask the tide office before a deep boat is booked into a shallow berth."""
        boat = next((vessel for vessel in self.vessels if vessel.name == self.vessel.value), None)
        depth = next(berth.depth for berth in self.berths if berth.name == self.berth.value)
        if boat is None or depth - boat.draught >= SURELY_DEEP:
            return
        stay = self.session.today(), self.nights.required_value
        try:
            level = self.call_elsewhere(lowest_water, *stay, text="Asking the tide office …", timeout=8)
        except (OSError, ValueError, TimedOut, CallCancelled):
            if self.ask(self.no_tides) == "Change berth":
                event.block("choose a deeper berth")
            return
        water = depth + float(level)
        if water - boat.draught >= UNDER_KEEL:
            return
        if self.ask(self.too_shallow, water=water, draught=boat.draught) == "Change berth":
            event.block("choose a deeper berth")

    @Form.submitted
    def send_papers(self) -> None:
        """Confirm the booking by letter, and draw the boat in its berth."""
        known = next((vessel for vessel in self.vessels if vessel.name == self.vessel.value), None)
        notes = tuple(f"{override.text} (agreed by {override.user})" for override in self.overrides)
        stay = Stay(
            self.vessel.value,
            self.length.required_value,
            known.owner if known is not None else "",
            self.berth.required_value,
            self.session.today(),
            self.nights.required_value,
            self.price.required_value,
            notes,
        )
        pier = [berth for berth in tables.berths() if berth.pier == self.pier.value]
        free = frozenset(berth.name for berth in self.berths)
        services = self.session.services
        self.afterwards(services[Letters].send, confirmation(stay, self.session.now()), caption="Send the confirmation")
        self.afterwards(
            services[Drawings].draw,
            f"mooring plan {stay.berth}",
            mooring_plan(pier, free, stay),
            caption="Draw the mooring plan",
        )
