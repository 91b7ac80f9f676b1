"""Labels: a text on the form, perhaps with a picture."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Unpack

from fuselatch.core.forms.control_options import ControlOptions
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.declarations import Declaration, Memo, Raises
from fuselatch.core.forms.live_state import ControlState, is_seen, seen
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.values import short, to_text
from fuselatch.core.model.view import LabelPart


class LabelOptions(ControlOptions, total=False):
    """More options of a label.

    `picture`: shown beside its text. `alt`: what the picture says, for people who can't see it; "" for a decoration.
    `masked`: as of an entry.
    """

    masked: bool
    picture: Picture | Rule[Picture | None]
    alt: str | Rule[str]


class LiveLabel(LiveValue[str]):
    """A label of an open form."""

    __slots__ = ()

    @property
    def picture(self) -> Picture | None:
        """The picture that it shows."""
        picture: Picture | None = self._read("picture")
        return picture

    @picture.setter
    def picture(self, picture: Picture | None) -> None:
        self._engine.set_property(self, "picture", picture)

    @property
    def alt(self) -> str:
        """The words of the picture, for people who can't see it."""
        alt: str = self._read("alt") or ""
        return alt

    @alt.setter
    def alt(self, text: str) -> None:
        self._engine.set_property(self, "alt", text)


class Label(Declaration[LiveLabel]):
    """A text on the form. Its `value` is separate from its caption."""

    kind = "label"
    named = "a label"
    accepts = frozenset({"press"})
    shape = "label"
    live = LiveLabel
    holds_value = True
    as_is: ClassVar[type | None] = str
    blank: ClassVar[str] = ""
    options = frozenset(LabelOptions.__annotations__)
    changed = Raises("changed")
    clicked = Raises("clicked")
    double_clicked = Raises("double_clicked")

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> str:
            """The type of its value in an outcome, for type checkers."""

    def __init__(self, caption: str = "", *, value: str | Rule[str] = "", **options: Unpack[LabelOptions]) -> None:
        super().__init__(caption, options, value=value)
        picture = self.constants.get("picture")
        if "picture" in options and "alt" not in options:
            raise DeclarationError(f'Label({caption!r}): a picture needs alt="…", what it says; "" if it only decorates')
        if picture is not None and not isinstance(picture, Picture):
            raise DeclarationError(f"Label({caption!r}): picture must be a Picture or a rule, not {short(picture)}")

    def coerce(self, value: object) -> str:
        return to_text(value)

    def show(self, value: str, formats: Formats) -> str:
        return value

    def picture_seen(self, live: ControlState) -> Picture | None:
        """Return the picture that the user sees."""
        picture: Picture | None = (seen(live, "picture") or None) if is_seen(live, "visible") else None
        return picture

    def part(self, live: ControlState, memo: Memo, formats: Formats) -> LabelPart:
        picture = self.picture_seen(live)
        if picture is None:
            return NO_PICTURE
        return LabelPart(picture=picture.id, alt=seen(live, "alt") or "")


NO_PICTURE = LabelPart(picture="", alt="")
