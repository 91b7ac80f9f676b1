"""A form with groups, a row, dates and a check of several controls: `python guests.py` prints what happens."""

from datetime import date

from fuselatch import Button, Date, Finding, Form, Group, Label, Number, Row, Shared, Text, Tick, check, warn
from fuselatch.rehearsal import rehearse
from fuselatch.scenes import Scene, scene

GREETED = Shared(int, 0, name="greeted")


class Address(Group):
    """An address; used twice below."""

    street = Text("Street", required=True, max_length=60)
    code = Text("Code", pattern="^[A-Z]{2}-[0-9]{3}$", example="DM-014")
    town = Text("Town", required=True)

    @town.changed
    def tidy(self) -> None:
        """Write the town with a capital."""
        self.town.value = self.town.value.title()


class Guest(Form, title="A guest arrives", confirm_discard="Discard what you entered?"):
    """Enter a guest's stay and address, and a second address for the bill if needed."""

    name = Text("Name", required=True, help="As in the passport")
    arrival = Date("Arrival", required=True, default=lambda form: form.session.today())
    departure = Date("Departure", required=True, minimum=lambda form: form.arrival.value)
    home = Address("Home")
    elsewhere = Tick("Send the bill elsewhere", keys="Alt+B")
    billing = Address("Billing", visible=lambda form: form.elsewhere.value)
    across = Number("Across", unit="m")
    along = Number("Along", unit="m")
    place = Row("Place on the quay", across, along)
    greeted = Label("Greeted today", value=lambda form: str(form.session[GREETED]))
    welcome = Button("Welcome", closes="accepted", keys="Enter")

    @check(arrival, departure, at=departure)
    def long_stay(self, arrival: date, departure: date) -> Finding | None:
        """Warn about a stay of more than a month, which is rare."""
        return warn("More than a month") if (departure - arrival).days > 31 else None

    @Form.submitted
    def count(self) -> None:
        """Count the guests of this session."""
        self.session[GREETED] = (self.session[GREETED] or 0) + 1


@scene
def arriving() -> Scene:
    """Return the form on a morning in May, with German formats."""
    return Scene(Guest, user="clerk-1", locale="de")


if __name__ == "__main__":
    with rehearse(arriving) as desk:
        desk.type("name", "Runa Kelpin")
        desk.type("departure", "7.6.2031")
        desk.type("home.street", "Reed Row 3")
        desk.type("home.town", "dunmarrow")
        desk.key("Enter")
        print(desk.why("departure.marker"), end="\n\n")
        desk.answer("Go on")
    print(desk.story())
