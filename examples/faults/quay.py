"""Forms with one fault each, among entries without any. See how each is found and shown, with the gestures that show it:

cd examples; fuselatch explore faults.quay:Locked --gestures 12000
"""

from __future__ import annotations

import sys
import time
from contextlib import suppress
from datetime import datetime
from decimal import Decimal
from typing import Any, cast

from fuselatch import Button, Choice, CustomEvent, Event, Form, Integer, Money, Prompt, Text, Tick, TimedOut, check
from fuselatch.services import Letters

SIZES = ("Dinghy", "Yacht", "Houseboat", "Barge")
PRICES = {"Dinghy": 4, "Yacht": 9, "Barge": 20}
CALLED: set[str] = set()
WRONG_NAME = "nmae"


class Desk(Form):
    """The entries that all of them have besides their fault."""

    vessel = Text("Vessel", required=True, max_length=12)
    size = Choice("Size", choices=SIZES, required=True)
    nights = Integer("Nights", minimum=1, maximum=60, required=True)
    flag = Tick("Under a foreign flag")
    port = Text("Home port", enabled=lambda form: form.flag.value)
    note = Text("Note")
    save = Button("Save", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    @check(nights, size)
    def even_on_barges(self, nights: int, size: str) -> str | None:
        return "A barge stays an even number of nights" if size == "Barge" and nights % 2 else None


class Unpriced(Desk, title="A handler that fails"):
    """One size has no price, which matters from a week on."""

    price = Money("Price")

    @Desk.nights.changed
    def work_out(self) -> None:
        nights = self.nights.value or 0
        if self.size.value and nights > 7:
            self.price.value = Decimal(PRICES[self.size.value] * nights)


class Divided(Desk, title="A rule that fails"):
    """The share is divided by what the user enters."""

    crew = Integer("Crew", minimum=0)
    share = Money("For each", value=lambda form: 60 // form.crew.value if form.crew.value is not None else None)


class Swinging(Desk, title="A loop"):
    """Two handlers set each other's entry, from a length on."""

    length = Integer("Length", maximum=40)
    beam = Integer("Beam", maximum=40)

    @length.changed
    def widen(self) -> None:
        if (self.length.value or 0) > 30:
            self.beam.value = (self.beam.value or 0) + 1

    @beam.changed
    def lengthen(self) -> None:
        if (self.beam.value or 0) > 0 and (self.length.value or 0) > 30:
            self.length.value = (self.length.value or 0) % 39 + 31


class Endless(Desk, title="A handler that never ends"):
    """A note makes it look for something that isn't there."""

    @Desk.note.changed
    def look_for(self) -> None:
        while self.note.value == "wait" and not is_there("Lighter"):
            pass


def is_there(size: str) -> bool:
    """Look thoroughly, which takes most of the time."""
    return any(each == size for each in SIZES * 100_000)


class Deaf(Form, title="Handlers that don't end though they are told to"):
    """One sleeps outside of Python, one catches everything."""

    sleep = Button("Sleep")
    spin = Button("Spin")

    @sleep.clicked
    def sleep_long(self) -> None:
        time.sleep(3600)

    @spin.clicked
    def spin_on(self) -> None:
        while True:
            with suppress(BaseException):
                time.sleep(0.001)


class Unopened(Form, title="A form that doesn't open"):
    """Its opening never ends."""

    note = Text("Note")

    @Form.opened
    def wait_for_it(self) -> None:
        while not self.note.value:
            pass


class Locked(Desk, title="A trap"):
    """Once it is under way it can be left only when it is done, and that can't be ticked."""

    begin = Button("Begin")
    done = Tick("Done", enabled=lambda form: form.size.value == "Lighter")
    begun = Tick("Begun", read_only=True)

    @begin.clicked
    def set_off(self) -> None:
        self.begun.value = True

    @Form.closing
    def not_before_the_end(self, event: Event) -> None:
        if self.begun.value and not self.done.value:
            event.block("Finish it first")


class Sealed(Desk, title="A form that can't be accepted any more"):
    """A button seals it, and nothing takes the seal away."""

    seal = Button("Seal")

    @seal.clicked
    def close_up(self) -> None:
        self.save.enabled = False
        self.nights.enabled = False


class Stubborn(Desk, title="A refusal that stays"):
    """The deposit is set below its bound, and can't be entered."""

    deposit = Money("Deposit", read_only=True, minimum=10)

    @Desk.size.changed
    def ask_for(self) -> None:
        self.deposit.value = Decimal(5 if self.size.value == "Houseboat" else 20)

    @Desk.vessel.changed
    def ask_first(self) -> None:
        if self.deposit.value is None:
            self.deposit.value = Decimal(5)

    @Desk.size.changed
    def keep_to_it(self) -> None:
        self.deposit.value = Decimal(5)


class Hollow(Desk, title="Accepted though something is blank"):
    """A required entry is emptied after it was checked."""

    @Form.closing
    def tidy(self) -> None:
        if self.note.value == "none":
            self.vessel.value = ""


class Remembering(Desk, title="A rule that reads a variable of the module"):
    """A rule reads what was called, of which it isn't told."""

    call = Button("Call")
    called = Text("Called", value=lambda form: "yes" if form.vessel.value in CALLED else "no")

    @call.clicked
    def note_it(self) -> None:
        if self.vessel.value:
            CALLED.add(self.vessel.value)


class Ticking(Desk, title="A rule that reads the clock of the machine"):
    """The stamp isn't the session's time."""

    stamp = Text("Stamp", value=lambda form: f"{datetime.now():%H:%M:%S.%f}" if form.flag.value else "")


class Harbours(Form, title="Which harbour?"):
    """A dialog."""

    name = Choice("Harbour", choices=("Saltmarsh Quay", "Heron Point", "Outer Mole"))
    take = Button("Take", closes="accepted")


class Misread(Desk, title="A value that the dialog doesn't have"):
    """It reads the outcome by a wrong name, if one is taken."""

    harbour = Button("Harbour…", enabled=lambda form: form.flag.value)

    @harbour.clicked
    def look_up(self) -> None:
        outcome = self.open(Harbours)
        if outcome:
            values: Any = outcome.values
            self.port.value = values[WRONG_NAME]


class Tired(Desk, title="An answer that fails"):
    """A certain answer about a long stay leads to code that fails."""

    sent = CustomEvent(str)
    too_long = Prompt("That is long. Shorten it?", buttons=("Yes", "No", "Ask the harbour master"))

    @Form.accepting
    def agree(self, event: Event) -> None:
        if (self.nights.value or 0) > 30:
            answer = self.ask(self.too_long)
            if answer == "Ask the harbour master":
                letter: Any = self.vessel.value
                self.session.services[Letters].send(letter)
            elif answer == "Yes":
                event.block("Shorten it")


def forecast(port: str) -> Decimal | None:
    """Ask a service for the depth of water at a port."""
    raise OSError(f"no line to {port}")


class Waiting(Desk, title="A service that knows nothing"):
    """Its handler fails at a blank result, and again while it deals with a timeout."""

    water = Money("Water", unit="m")
    fetch = Button("Ask for the water")

    @fetch.clicked
    def get_water(self) -> None:
        try:
            found = self.call_elsewhere(forecast, "Ratphen", text="Asking …", timeout=5)
        except TimedOut as late:
            self.note.value = late.args[1]
            return
        self.water.value = round(found, 2) if found or found == 0 else Decimal(PRICES[str(found)])


class Impatient(Desk, title="A button that doesn't wait for the answer"):
    """It fails while the service is asked, and never afterwards."""

    level: Decimal | None = None
    asked = False
    fetch = Button("Ask for the water")
    use = Button("Use it")

    @fetch.clicked
    def get_level(self) -> None:
        self.asked = True
        self.level = self.call_elsewhere(forecast, "Ratphen", locks="nothing") or Decimal(0)

    @use.clicked
    def use_it(self) -> None:
        if self.asked:
            self.note.value = f"{round(cast(Decimal, self.level), 1)} m"


class Quitting(Desk, title="A handler that exits"):
    """It ends the program, as a script might."""

    quit = Button("Quit")

    @quit.clicked
    def stop(self) -> None:
        sys.exit(3)


class Late(Desk, title="A rule that fails later"):
    """Nothing is wrong before the next hour."""

    hour = Text("Hour", value=lambda form: str(60 // (form.session.now("hour").hour - 10)))


class Spoken(Desk, title="A word that no code has"):
    """Only who knows the word gets there."""

    @Desk.note.changed
    def open_up(self) -> None:
        if str(self.note.value).casefold()[::-1] == "nehptar":
            raise LookupError("nothing behind it")


class Ordered(Desk, title="Entries whose order matters"):
    """The size sets the nights, so that nights entered before are lost."""

    @Desk.size.changed
    def usual(self) -> None:
        self.nights.value = 2


class Asking(Form, title="It opens what is accepted though something is blank"):
    """The fault is in its dialog."""

    more = Button("More")

    @more.clicked
    def open_it(self) -> None:
        self.open(Hollow)
