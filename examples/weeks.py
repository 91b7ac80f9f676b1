"""A form with tab pages, a picture and a table: `fuselatch show weeks:WeekForm --from examples` shows it."""

from __future__ import annotations

from fuselatch import Button, Choice, Date, Form, Group, Integer, Label, Lines, Picture, Table, Text, Tick

PIERS = {"North": 8, "South": 14}
"""The berths of each pier."""


def plan(pier: str, berth: str) -> Picture:
    """Draw a pier with its berths, and mark one."""
    count = PIERS[pier]
    boxes = "".join(
        f'<rect x="{20 + 30 * (number // 2)}" y="{8 if number % 2 == 0 else 52}" width="20" height="34" rx="4" '
        f'fill="{"#1f5f6b" if f"{pier[0]}{number + 1}" == berth else "#a9c9d0"}"/>'
        for number in range(count)
    )
    width = 40 + 30 * ((count + 1) // 2)
    size = f'viewBox="0 0 {width} 94" width="{width}" height="94"'
    pier_itself = f'<rect x="8" y="44" width="{width - 16}" height="6" fill="#5a6a72"/>'
    return Picture(f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{pier_itself}{boxes}</svg>'.encode())


def berths_of(form: Place) -> list[dict[str, object]]:
    """Return a pier's berths, with their price a night."""
    pier = form.pier.value or ""
    return [
        {"berth": f"{pier[0]}{number}", "length": 6 + number % 5 * 2, "price": 18 + number % 5 * 4}
        for number in range(1, PIERS.get(pier, 0) + 1)
    ]


class Guest(Group):
    """Who is aboard."""

    name = Text("Name", required=True)
    born = Date("Born")
    diet = Choice("Diet", choices=("no fish", "no meat", "no nuts"))


class Vessel(Group):
    """The vessel that comes."""

    name = Text("Name", required=True, help="As on the hull")
    length = Integer("Length", unit="m", minimum=3, maximum=40, required=True)
    shore_power = Tick("Shore power")
    plugs = Integer("Plugs", default=1, minimum=1, enabled=lambda group: group.shore_power.value)


class Place(Group):
    """The place where it lies."""

    pier = Choice("Pier", choices=tuple(PIERS), look="radio", required=True)
    berth = Table(
        "Berth",
        rows=berths_of,
        key="berth",
        columns={"berth": "Berth", "length": "Length", "price": "Price"},
    )
    plan = Label(
        "Plan",
        picture=lambda group: plan(group.pier.value, group.berth.value or "") if group.pier.value else None,
        alt=lambda group: (
            f"The {group.pier.value} pier, {group.berth.value or 'no berth'} marked" if group.pier.value else ""
        ),
        visible=lambda group: bool(group.pier.value),
    )


class WeekForm(Form, title="A week at the quay", tabs=True):
    """Book a week: the vessel, who is aboard, and a berth."""

    arrival = Date("Arrival", required=True)
    vessel = Vessel("Vessel")
    guests = Lines(Guest, "Guests", min_items=1)
    place = Place("Berth")
    book = Button("Book", closes="accepted")
    leave = Button("Leave", closes="cancelled")
