"""Tick boxes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Final, Unpack

from fuselatch.core.forms.control_options import InputOptions
from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.deeds import Deed, Enter, Keys
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.live_state import ControlState, seen
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable, short_text, to_bool
from fuselatch.core.model.view import TickPart


def toggle(live: ControlState, key: str) -> Iterator[Deed]:
    yield Enter(not live._read("value"), "toggle")


WORDS: Final = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False}
"""How a cell says that a box is ticked."""
KEYS = Keys({"Space": toggle})
PARTS = (TickPart(ticked=False), TickPart(ticked=True))


class Tick(InputControl[LiveInput[bool, bool], bool, bool]):
    """A tick box (bool). It starts unticked and is never blank; `required` means ticked."""

    kind = "tick"
    named = "a tick box"
    accepts = frozenset({"tick", "untick"})
    enters = "tick"
    shape = "tick"
    json: ClassVar[Plain] = {"type": "boolean"}
    generated_for = bool
    as_is = bool
    of_record = bool
    live = LiveInput
    needed = "required.tick"

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: bool | Rule[bool] | None = None,
        default: bool | Rule[bool] = False,
        **options: Unpack[InputOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)

    @property
    def blank(self) -> bool:
        return False

    def coerce(self, value: object) -> bool:
        return False if value is None else to_bool(value)

    def show(self, value: bool, formats: Formats) -> str:
        return "yes" if value else "no"

    def parse(self, text: str, live: ControlState, formats: Formats) -> bool:
        """Return what a pasted cell means: yes or no, true or false, 1 or 0."""
        try:
            return WORDS[text.casefold()]
        except KeyError:
            raise Unparsable(user_text(formats, "tick.unreadable", text=short_text(text))) from None

    def keys(self, live: ControlState) -> Keys:
        return KEYS

    def taken_keys(self, live: ControlState) -> tuple[str, ...]:
        # Front ends tick boxes themselves.
        return ()

    def gestures(self, live: ControlState) -> Iterator[tuple[str, str]]:
        if not live._rule and seen(live, "read_only") is not True:
            yield ("untick" if live._value is True else "tick"), ""

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> TickPart:
        return PARTS[live._value is True]

    def sample(self, first_choice: str = "") -> str:
        return "yes"

    def wrong(self, rule: str) -> tuple[str, str] | None:
        return ("untick", "") if rule == "required" else None

    def schema(self, needed: bool) -> Plain:
        return {**self.json, "const": True} if needed else {**self.json}
