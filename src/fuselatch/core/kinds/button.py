"""Buttons."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, Unpack

from fuselatch.core.forms.control_options import ControlOptions
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import Declaration, Memo, Raises
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.values import short
from fuselatch.core.model.view import ButtonPart

THEN = ("next", "new", "same")


class LiveButton(Live):
    """A button of an open form."""

    __slots__ = ()


class Button(Declaration[LiveButton]):
    """A button. `closes` is the verdict with which pressing it closes the form.

    "accepted" submits: checks run first. "cancelled", or your own verdict, closes without checks. `submits=True` submits and
    stays open: a bound form saves its record and goes to the next, a new or the same record (`after_submit`); any other
    form starts again.
    """

    kind = "button"
    named = "a button"
    accepts = frozenset({"press"})
    shape = "button"
    pressed = True
    live = LiveButton
    takes_focus = True
    entered = Raises("entered")
    left = Raises("left")
    clicked = Raises("clicked")

    def __init__(
        self,
        caption: str = "",
        *,
        closes: str | None = None,
        submits: bool = False,
        after_submit: Literal["next", "new", "same"] = "next",
        **options: Unpack[ControlOptions],
    ) -> None:
        super().__init__(caption, options)
        where = f"Button({caption!r})"
        if submits and closes is not None:
            raise DeclarationError(f"{where}: use submits= or closes=, not both")
        if after_submit not in THEN:
            raise DeclarationError(f"{where}: after_submit must be 'next', 'new' or 'same', not {short(after_submit)}")
        if closes is not None and not closes.strip():
            raise DeclarationError(f"{where}: closes can't be empty; use 'accepted', 'cancelled' or your own word")
        self.submits = submits
        self.after_submit = after_submit
        self.closes = closes

    def details(self) -> Iterator[str]:
        yield from super().details()
        if self.submits:
            yield f"submits, then {self.after_submit}"

    def text_of(self, live: ControlState, formats: Formats) -> str:
        return ""

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> ButtonPart:
        if memo.part is None:
            memo.part = ButtonPart(closes=self.closes or "", submits=self.submits)
        made: ButtonPart = memo.part
        return made
